import type { Queryable } from "../kernel/db/pool.js";
import type { StoredContent } from "./record-columns.js";

/** How many days a record is kept, when not as long as all others of its shape: a rule of arrival says so first, then its sender, then its kind. */
export const keepDaysBy =
  (ofSender: (id: number) => number | null | undefined, byKind: ReadonlyMap<string, number>) =>
  (record: StoredContent): number | null =>
    record.keepDays ?? ofSender(record.sender) ?? byKind.get(record.content.kind) ?? null;

/** Each number of days has segments of its own, so that what is over goes as whole tables: not more than so many. */
export const MOST_CLASSES = 8;

/** Numbers of days that records are kept beside the two of the configuration. @param byKind those of the configuration by kind */
export async function daysInUse(db: Queryable, byKind: ReadonlyMap<string, number>): Promise<ReadonlySet<number>> {
  const { rows } = await db.query<{ days: number }>(
    `select distinct keep_days as days from sender where keep_days is not null
     union select distinct (body->>'keepDays')::int from arrival_rule where body->>'keepDays' is not null`,
  );
  return new Set([...rows.map((r) => r.days), ...byKind.values()]);
}
