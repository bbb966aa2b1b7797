import type pg from "pg";
import type { Queryable } from "../kernel/db/pool.js";
import { MAX_COLLECTORS } from "./record-id.js";

/** Advisory locks of this class say which collector numbers are in use. */
const LOCK_CLASS = 4_711_002;

export interface Claim {
  readonly number: number;
  readonly lastBatch: number;
  /** µs part of the last id this number gave out; 0 when none. */
  readonly lastIdUs: number;
}

/** Another process writes under this collector's number. */
export class CollectorBusy extends Error {
  readonly code = "COLLECTOR_BUSY";

  constructor(name: string) {
    super(`collector "${name}" already runs in another process`);
  }
}

/**
 * Takes a collector number for as long as `client` is connected: the one this name had before, or a fresh one.
 * @throws {CollectorBusy} when another process holds it; an error when all 1,024 are taken
 */
export async function claimCollector(
  client: pg.Client,
  name: string,
  kind: "live" | "import" | "engine",
): Promise<Claim> {
  const known = await client.query<{ number: number }>(
    `insert into collector (number, name, kind)
     select coalesce((select min(n) from generate_series(1, $3::int) n where not exists (select from collector c where c.number = n)), -1), $1, $2
     on conflict (name) do update set kind = excluded.kind returning number`,
    [name, kind, MAX_COLLECTORS - 1],
  );
  const number = known.rows[0]!.number;
  if (number < 0) throw new Error(`all ${MAX_COLLECTORS} collector numbers are taken`);
  const locked = await client.query<{ ok: boolean }>("select pg_try_advisory_lock($1, $2) as ok", [LOCK_CLASS, number]);
  if (!locked.rows[0]!.ok) throw new CollectorBusy(name);
  const last = await client.query<{ number: number | null; high: string | null }>(
    "select max(number) as number, max(high_id)::text as high from batch where collector = $1",
    [number],
  );
  const { number: lastBatch, high } = last.rows[0]!;
  return { number, lastBatch: lastBatch ?? 0, lastIdUs: high === null ? 0 : Number(BigInt(high) >> 10n) };
}

/** Numbers under which a process writes batches now. */
export async function heldNumbers(db: Queryable): Promise<ReadonlySet<number>> {
  const { rows } = await db.query<{ number: number }>(
    `select objid::int as number from pg_locks
     where locktype = 'advisory' and classid = $1 and granted and database = (select oid from pg_database where datname = current_database())`,
    [LOCK_CLASS],
  );
  return new Set(rows.map((r) => r.number));
}
