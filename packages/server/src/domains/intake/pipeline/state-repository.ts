import type { FlowDecoder, SavedDomain, SavedUses } from "@halvik/core/decode/flow";
import { fitText } from "@halvik/core/normalise";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { Decoders, Undecodable } from "./decoders.js";

/** Samples kept of each endpoint. */
const SAMPLES_PER_ENDPOINT = 20;
const MAX_MESSAGE = 500;
/** What the column holds. */
const MAX_OFFSET = 0x7fff_ffff;

/** Keeps the last samples of what could not be read. */
export async function keepUndecodable(db: Queryable, samples: readonly Undecodable[]): Promise<void> {
  if (samples.length === 0) return;
  await db.query(
    `insert into undecodable (endpoint, at_us, peer, code, message, byte_offset, sample)
     select * from unnest($1::text[], $2::bigint[], $3::text[], $4::text[], $5::text[], $6::int[], $7::bytea[])`,
    [
      samples.map((s) => s.arrival.endpoint),
      samples.map((s) => s.arrival.receivedUs),
      samples.map((s) => s.arrival.peer),
      samples.map((s) => s.problem.code),
      samples.map((s) => fitText(s.problem.message, MAX_MESSAGE)),
      samples.map((s) => Math.min(s.problem.offset, MAX_OFFSET)),
      samples.map((s) => Buffer.from(s.arrival.bytes)),
    ],
  );
  await db.query(
    `delete from undecodable u using (select id, row_number() over (partition by endpoint order by id desc) as n from undecodable) o where o.id = u.id and o.n > ${SAMPLES_PER_ENDPOINT}`,
  );
}

/** Interface counters of sFlow exporters, a row for each time they came. */
export async function keepMeasures(db: Queryable, measures: Decoders["measures"]): Promise<void> {
  if (measures.length === 0) return;
  const column = (get: (m: Decoders["measures"][number]) => unknown) => measures.map(get);
  await db.query(
    `insert into interface_measure (sender, interface, time, speed, status, in_octets, in_packets, in_discards, in_errors, out_octets, out_packets, out_discards, out_errors)
     select * from unnest($1::int[], $2::bigint[], $3::bigint[], $4::numeric[], $5::int[], $6::numeric[], $7::bigint[], $8::bigint[], $9::bigint[], $10::numeric[], $11::bigint[], $12::bigint[], $13::bigint[])
     on conflict do nothing`,
    [
      column((m) => m.sender),
      column((m) => m.measure.interface),
      column((m) => m.timeUs),
      column((m) => m.measure.speed.toString()),
      column((m) => m.measure.status),
      column((m) => m.measure.inOctets.toString()),
      column((m) => m.measure.inPackets),
      column((m) => m.measure.inDiscards),
      column((m) => m.measure.inErrors),
      column((m) => m.measure.outOctets.toString()),
      column((m) => m.measure.outPackets),
      column((m) => m.measure.outDiscards),
      column((m) => m.measure.outErrors),
    ],
  );
}

/** Keeps what exporters have said about their data, so that a restart reads on at once. */
export async function saveFlowDomains(db: Queryable, flows: FlowDecoder, nowUs: number): Promise<void> {
  const changed = flows.takeChanged();
  for (const { key, saved } of changed) {
    await db.query(
      "insert into flow_domain (key, saved, changed_us) values ($1, $2, $3) on conflict (key) do update set saved = excluded.saved, changed_us = excluded.changed_us",
      [key, JSON.stringify(saved), nowUs],
    );
    const exporter = key.split(" ")[0]!;
    if (saved.interfaces.length > 0)
      await db.query(
        "insert into interface_name (exporter, index, name) select $1, * from unnest($2::bigint[], $3::text[]) on conflict (exporter, index) do update set name = excluded.name",
        [exporter, saved.interfaces.map(([i]) => i), saved.interfaces.map(([, name]) => name)],
      );
  }
}

/** Keeps how templates were used: apart from what they say, which may be long and seldom changes. */
export async function saveTemplateUses(db: Queryable, flows: FlowDecoder, nowUs: number): Promise<void> {
  const due = flows.takeUses(nowUs);
  if (due.length === 0) return;
  await db.query(
    "update flow_domain d set uses = u.uses, changed_us = $3 from unnest($1::text[], $2::jsonb[]) as u (key, uses) where d.key = u.key",
    [due.map((d) => d.key), due.map((d) => JSON.stringify(d.uses)), nowUs],
  );
}

export async function loadFlowDomains(db: Queryable, flows: FlowDecoder): Promise<void> {
  const { rows } = await db.query<{ key: string; saved: SavedDomain; uses: SavedUses }>(
    "select key, saved, uses from flow_domain",
  );
  for (const { key, saved, uses } of rows) flows.restore(key, saved, uses);
}

/** Adds up object identifiers that nothing names: they are listed as to be named. */
export async function addUnnamed(
  db: Queryable,
  unnamed: ReturnType<Decoders["takeUnnamed"]>,
  nowUs: number,
): Promise<void> {
  if (unnamed.size === 0) return;
  const rows = [...unnamed];
  await db.query(
    `insert into unnamed_oid as u (oid, count, last_us, sender) select o, n, $3, s from unnest($1::text[], $2::bigint[], $4::int[]) as t (o, n, s)
     on conflict (oid) do update set count = u.count + excluded.count, last_us = excluded.last_us, sender = excluded.sender`,
    [rows.map(([oid]) => oid), rows.map(([, r]) => r.count), nowUs, rows.map(([, r]) => r.sender)],
  );
}
