import { Cadence, type SavedCadence } from "@halvik/core/model/senders";
import type pg from "pg";
import type { SenderRegistry } from "./registry.js";

const CADENCE_EVERY_MS = 60_000;
let cadenceWrittenMs = 0;

/** Adds what was counted and learnt about senders since the last writing. Cadence, the bulkiest part, goes once a minute. */
export async function writeActivity(db: pg.Client, registry: SenderRegistry, final: boolean): Promise<void> {
  const touched = [...registry.all()].filter((s) => s.touched);
  if (touched.length === 0) return;
  const withCadence = final || performance.now() - cadenceWrittenMs > CADENCE_EVERY_MS;
  if (withCadence) cadenceWrittenMs = performance.now();
  const kept = withCadence
    ? await keptCadences(
        db,
        touched.map((s) => s.facts.id),
      )
    : new Map<number, SavedCadence>();
  await db.query(
    `insert into sender_activity as a (sender, last_heard_us, records, bytes, problems, late, copies, capped, held, held_refused, clock_offset_us, cadence)
     select * from unnest($1::int[], $2::bigint[], $3::bigint[], $4::bigint[], $5::bigint[], $6::bigint[], $7::bigint[], $8::bigint[], $9::bigint[], $10::bigint[], $11::bigint[], $12::jsonb[])
     on conflict (sender) do update set
       last_heard_us = greatest(a.last_heard_us, excluded.last_heard_us), records = a.records + excluded.records, bytes = a.bytes + excluded.bytes,
       problems = a.problems + excluded.problems, late = a.late + excluded.late, copies = a.copies + excluded.copies, capped = a.capped + excluded.capped,
       held = a.held + excluded.held, held_refused = a.held_refused + excluded.held_refused, clock_offset_us = excluded.clock_offset_us, cadence = coalesce(excluded.cadence, a.cadence)`,
    [
      touched.map((s) => s.facts.id),
      touched.map((s) => s.lastHeardUs),
      touched.map((s) => s.fresh.records),
      touched.map((s) => s.fresh.bytes),
      touched.map((s) => s.fresh.problems),
      touched.map((s) => s.fresh.late),
      touched.map((s) => s.fresh.copies),
      touched.map((s) => s.fresh.capped),
      touched.map((s) => s.fresh.held),
      touched.map((s) => s.fresh.heldRefused),
      touched.map((s) => Math.round(s.clock.us)),
      touched.map((s) =>
        withCadence ? JSON.stringify(Cadence.sum(kept.get(s.facts.id) ?? null, s.cadence.takeLearnt())) : null,
      ),
    ],
  );
  for (const s of touched) {
    for (const name of Object.keys(s.fresh) as (keyof typeof s.fresh)[]) s.fresh[name] = 0;
    if (withCadence) s.touched = false;
  }
}

async function keptCadences(db: pg.Client, ids: readonly number[]): Promise<Map<number, SavedCadence>> {
  const { rows } = await db.query<{ sender: number; cadence: SavedCadence }>(
    "select sender, cadence from sender_activity where sender = any($1::int[]) and cadence is not null",
    [ids],
  );
  return new Map(rows.map((r) => [r.sender, r.cadence]));
}
