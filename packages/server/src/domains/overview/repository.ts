import { US_PER_HOUR } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";

/** A sum of an hour. */
export interface HourSum {
  readonly fromUs: number;
  readonly sum: number;
}

/** Records by sender and hour, of hours that begin in [fromUs, toUs). */
export async function recordsBySender(
  db: Queryable,
  fromUs: number,
  toUs: number,
): Promise<(HourSum & { readonly sender: number })[]> {
  const { rows } = await db.query<{ bucket: number; sender: number; count: string }>(
    "select bucket, sender, sum(count)::text as count from rollup_hour where bucket >= $1 and bucket < $2 group by bucket, sender",
    [Math.ceil(fromUs / US_PER_HOUR), Math.ceil(toUs / US_PER_HOUR)],
  );
  return rows.map((r) => ({ fromUs: r.bucket * US_PER_HOUR, sender: r.sender, sum: Number(r.count) }));
}

/** When incidents were raised since a moment, and how severe they are; those that were merged are in the others. */
export async function incidentsRaised(
  db: Queryable,
  sinceUs: number,
): Promise<{ raisedUs: number; severity: number }[]> {
  const { rows } = await db.query<{ raised_us: number; severity: number }>(
    "select raised_us, severity from incident where raised_us >= $1 and merged_into is null",
    [sinceUs],
  );
  return rows.map((r) => ({ raisedUs: r.raised_us, severity: r.severity }));
}

/** When the oldest record that is stored happened; null: there is none. */
export async function oldestRecordUs(db: Queryable): Promise<number | null> {
  const { rows } = await db.query<{ oldest: number | null }>(
    "select min(min_time) as oldest from segment where rows > 0",
  );
  return rows[0]!.oldest;
}
