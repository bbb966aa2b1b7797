import { US_PER_SECOND } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";

/** The collector says every second that it listens: shorter than this may be its pace. */
export const LEAST_GAP_US = 3 * US_PER_SECOND;

export interface Gap {
  readonly fromUs: number;
  readonly toUs: number;
}

/** The collector that began to listen at `fromUs` still does. */
export async function writeListening(db: Queryable, fromUs: number, nowUs: number): Promise<void> {
  await db.query(
    "insert into listening (from_us, to_us) values ($1::bigint, greatest($1::bigint, $2::bigint)) on conflict (from_us) do update set to_us = greatest(listening.to_us, excluded.to_us)",
    [fromUs, nowUs],
  );
}

/** The stretch without a listener before a collector began, if there was one. */
export async function gapBefore(db: Queryable, fromUs: number): Promise<Gap | null> {
  const { rows } = await db.query<{ to_us: number | null }>(
    "select max(to_us) as to_us from listening where from_us < $1",
    [fromUs],
  );
  const before = rows[0]!.to_us;
  return before !== null && fromUs - before >= LEAST_GAP_US ? { fromUs: before, toUs: fromUs } : null;
}

/** The parts of a window in which no collector listened, since one first did. */
export async function gapsWithin(
  db: Queryable,
  window: { readonly fromUs: number; readonly toUs: number },
  nowUs: number,
): Promise<Gap[]> {
  const { rows } = await db.query<{ from_us: number; to_us: number }>(
    `select from_us, to_us from (
       select max(to_us) over (order by from_us) as from_us, coalesce(lead(from_us) over (order by from_us), $3::bigint) as to_us from listening
     ) gap where to_us - from_us >= $4 and from_us < $2 and to_us > $1 order by from_us`,
    [window.fromUs, window.toUs, nowUs, LEAST_GAP_US],
  );
  return rows.map((r) => ({ fromUs: Math.max(r.from_us, window.fromUs), toUs: Math.min(r.to_us, window.toUs) }));
}
