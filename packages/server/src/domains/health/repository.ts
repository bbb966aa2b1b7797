import { US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import type { SavedCadence } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";
import { RUNS_ONCE } from "../../kernel/node.js";
import type { Role } from "../../kernel/role-input.js";
import type { EndpointStatus } from "../intake/arrivals/endpoint.js";

/** What the collector listens to, as Intake shows it; what it no longer holds goes. */
export async function writeEndpoints(
  db: Queryable,
  node: string,
  endpoints: readonly EndpointStatus[],
  nowUs: number,
): Promise<void> {
  const all = <T>(of: (e: EndpointStatus) => T): T[] => endpoints.map(of);
  await db.query(
    `with gone as (delete from endpoint where node = $10 and not (name = any($1::text[])))
     insert into endpoint (name, transport, address, port, state, detail, counters, refused, updated_us, node)
     select e.*, $9, $10
     from unnest($1::text[], $2::text[], $3::text[], $4::int[], $5::text[], $6::text[], $7::jsonb[], $8::jsonb[]) e
     on conflict (node, name) do update set transport = excluded.transport, address = excluded.address, port = excluded.port,
       state = excluded.state, detail = excluded.detail, counters = excluded.counters, refused = excluded.refused,
       updated_us = excluded.updated_us`,
    [
      all((e) => e.name),
      all((e) => e.transport),
      all((e) => e.address),
      all((e) => e.port),
      all((e) => e.state),
      all((e) => e.detail),
      all((e) => JSON.stringify(e.counters)),
      all((e) => JSON.stringify(e.refused ?? [])),
      nowUs,
      node,
    ],
  );
}

export async function writeHeartbeat(
  db: Queryable,
  role: Role,
  node: string,
  startedUs: number,
  nowUs: number,
  detail: object,
): Promise<void> {
  await db.query(
    `insert into role_status (role, pid, started_us, heartbeat_us, detail, node) values ($1, $2, $3, $4, $5, $6)
     on conflict (role, node) do update set pid = $2, started_us = $3, heartbeat_us = $4, detail = $5`,
    [role, process.pid, startedUs, nowUs, JSON.stringify(detail), node],
  );
}

export interface RoleStatus {
  readonly role: string;
  readonly node: string;
  readonly startedUs: number;
  readonly heartbeatUs: number;
  readonly detail: Readonly<Record<string, unknown>>;
}

/** The processes of every role; of one role the one first that gave a sign last. */
export async function readRoles(db: Queryable): Promise<RoleStatus[]> {
  const { rows } = await db.query<{
    role: string;
    node: string;
    started_us: number;
    heartbeat_us: number;
    detail: Record<string, unknown>;
  }>("select role, node, started_us, heartbeat_us, detail from role_status order by role, heartbeat_us desc");
  return (
    rows
      .map(({ started_us, heartbeat_us, ...r }) => ({ ...r, startedUs: started_us, heartbeatUs: heartbeat_us }))
      // what runs once may have run on another node before
      .filter((r, i, all) => !isOneOf(RUNS_ONCE, r.role) || all.findIndex((o) => o.role === r.role) === i)
  );
}

/** Roles of which an open finding says that they have stopped. */
export async function rolesReportedStopped(db: Queryable): Promise<string[]> {
  const { rows } = await db.query<{ key: string }>(
    "select distinct key from finding where rule_id = 'halvik-role' and cleared_us is null and key <> 'engine'",
  );
  return rows.map((r) => r.key);
}

export const lastAuditId = async (db: Queryable): Promise<number> =>
  (await db.query<{ id: number }>("select coalesce(max(id), 0) as id from audit")).rows[0]!.id;

/** Refused sign-ins of the audit after a line of it, the earliest 500. */
export async function refusedSignIns(
  db: Queryable,
  after: number,
): Promise<{ id: number; who: string; address: string }[]> {
  const { rows } = await db.query<{ id: number; who: string; address: string }>(
    "select id, who, coalesce(detail->>'address', '') as address from audit where id > $1 and what = 'sign-in refused' order by id limit 500",
    [after],
  );
  return rows;
}

/** A collector that gave no sign for so long is gone for good: what it heard is not waited for any more. */
const GIVEN_UP_US = 10 * US_PER_MINUTE;

/**
 * How the collectors listen that are at work: since when all of them do, when the one that was quiet longest gave its last sign, and whether any
 * keeps records on its own disk. Which of them a sender speaks to is not known, so one that does not listen says nothing about any. Null: none
 * is at work.
 */
export async function collectorsListening(
  db: Queryable,
  nowUs: number,
): Promise<{ startedUs: number; heartbeatUs: number; spooling: boolean } | null> {
  const { rows } = await db.query<{ started_us: number | null; heartbeat_us: number; spooling: boolean }>(
    `select max(started_us) as started_us, min(heartbeat_us) as heartbeat_us, bool_or(coalesce((detail->>'spooling')::boolean, false)) as spooling
     from role_status where role = 'collector' and heartbeat_us > $1 and not coalesce((detail->>'stopped')::boolean, false)`,
    [nowUs - GIVEN_UP_US],
  );
  const { started_us: startedUs, heartbeat_us: heartbeatUs, spooling } = rows[0]!;
  return startedUs === null ? null : { startedUs, heartbeatUs, spooling };
}

/** Signs of life of a collector are no older than this while it is at work. */
export const COLLECTOR_FRESH_US = 10 * US_PER_SECOND;

/** Whether a collector at work has records on its own disk that are not stored yet. */
export async function isIntakeBehind(db: Queryable, nowUs: number): Promise<boolean> {
  const { rowCount } = await db.query(
    "select 1 from role_status where role = 'collector' and heartbeat_us > $1 and (detail->>'spooling')::boolean limit 1",
    [nowUs - COLLECTOR_FRESH_US],
  );
  return rowCount === 1;
}

const isOneOf = (list: readonly string[], text: string): boolean => list.includes(text);

export interface SenderActivity {
  readonly sender: number;
  readonly lastHeardUs: number | null;
  readonly cadence: SavedCadence | null;
  /** Since when it is known to be silent. */
  readonly sinceUs: number | null;
}

export async function senderActivity(db: Queryable): Promise<SenderActivity[]> {
  const { rows } = await db.query<{
    sender: number;
    last_heard_us: number | null;
    cadence: SavedCadence | null;
    since_us: number | null;
  }>(
    "select a.sender, a.last_heard_us, a.cadence, s.since_us from sender_activity a left join sender_silence s using (sender)",
  );
  return rows.map((r) => ({ sender: r.sender, lastHeardUs: r.last_heard_us, cadence: r.cadence, sinceUs: r.since_us }));
}

export async function keepSilence(db: Queryable, sender: number, sinceUs: number | null, nowUs: number): Promise<void> {
  await db.query("insert into sender_silence (sender, since_us, told_us) values ($1, $2, $3) on conflict do nothing", [
    sender,
    sinceUs,
    nowUs,
  ]);
}

/** Senders that were heard by themselves and of which that was not said yet, the first of them first; how long any has been heard at all. */
export async function newSenders(
  db: Queryable,
  most: number,
): Promise<{ readonly senders: readonly number[]; readonly oldestUs: number | null }> {
  const { rows } = await db.query<{ id: number }>(
    "select s.id from sender s left join sender_told t on t.sender = s.id where t.sender is null and s.first_seen_us is not null order by s.first_seen_us limit $1",
    [most],
  );
  if (rows.length === 0) return { senders: [], oldestUs: null };
  const oldest = await db.query<{ us: number | null }>(
    "select min(bucket)::bigint * 3600000000 as us from rollup_hour",
  );
  return { senders: rows.map((r) => r.id), oldestUs: oldest.rows[0]?.us ?? null };
}

export async function keepReported(db: Queryable, senders: readonly number[], nowUs: number): Promise<void> {
  await db.query(
    // one that has been forgotten meanwhile is none any more
    "insert into sender_told (sender, told_us) select id, $2 from sender where id = any($1::int[]) on conflict do nothing",
    [senders, nowUs],
  );
}

export async function endSilence(db: Queryable, sender: number): Promise<void> {
  await db.query("delete from sender_silence where sender = $1", [sender]);
}

/** What the collector listens to, as it last said. */
export async function readEndpoints(db: Queryable): Promise<
  {
    node: string;
    name: string;
    transport: string;
    address: string;
    port: number;
    state: string;
    detail: string;
    counters: Record<string, number>;
    updatedUs: number;
  }[]
> {
  const { rows } = await db.query<{
    node: string;
    name: string;
    transport: string;
    address: string;
    port: number;
    state: string;
    detail: string;
    counters: Record<string, number>;
    updated_us: number;
  }>(
    "select node, name, transport, address, port, state, detail, counters, updated_us from endpoint order by name, node",
  );
  return rows.map(({ updated_us, ...e }) => ({ ...e, updatedUs: updated_us }));
}

/** What all collectors counted, together. */
export function collectorsDetail(roles: readonly RoleStatus[]): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const { role, detail } of roles) {
    if (role !== "collector") continue;
    for (const [name, value] of Object.entries(detail))
      out[name] =
        typeof value === "number"
          ? Number(out[name] ?? 0) + value
          : name === "spooling"
            ? out[name] === true || value
            : value;
  }
  return out;
}
