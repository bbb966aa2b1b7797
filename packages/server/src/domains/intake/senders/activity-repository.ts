import { WAY_COUNTS } from "@halvik/contract/senders";
import type { SavedCadence } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";
import { ACTIVITY_COUNTS, type ActivityCounts, type WayTally } from "./tallies.js";

/** What was counted and learnt of a sender since it was last written. */
export interface FreshActivity extends Readonly<ActivityCounts> {
  readonly sender: number;
  readonly lastHeardUs: number | null;
  readonly clockOffsetUs: number;
  /** All that is known of its cadence; null: as it was. */
  readonly cadence: SavedCadence | null;
}

export async function addActivity(db: Queryable, of: readonly FreshActivity[]): Promise<void> {
  const counts = ACTIVITY_COUNTS.map((name) => (name === "heldRefused" ? "held_refused" : name));
  await db.query(
    `insert into sender_activity as a (sender, last_heard_us, clock_offset_us, cadence, ${counts.join(", ")})
     select * from unnest($1::int[], $2::bigint[], $3::bigint[], $4::jsonb[], ${counts.map((_, i) => `$${i + 5}::bigint[]`).join(", ")})
     on conflict (sender) do update set
       last_heard_us = greatest(a.last_heard_us, excluded.last_heard_us), clock_offset_us = excluded.clock_offset_us,
       cadence = coalesce(excluded.cadence, a.cadence), ${counts.map((c) => `${c} = a.${c} + excluded.${c}`).join(", ")}`,
    [
      of.map((s) => s.sender),
      of.map((s) => s.lastHeardUs),
      of.map((s) => s.clockOffsetUs),
      of.map((s) => (s.cadence === null ? null : JSON.stringify(s.cadence))),
      ...ACTIVITY_COUNTS.map((name) => of.map((s) => s[name])),
    ],
  );
}

/** What came of a sender by one way in since it was last written, and how far its clock is off. */
export interface FreshWay extends Readonly<WayTally> {
  readonly sender: number;
  readonly endpoint: string;
  readonly offsetUs: number;
}

/** Days of which it is known by the hour. */
const HOURS_KEPT = 90 * 24;

export async function addHours(db: Queryable, hour: number, of: readonly FreshWay[]): Promise<void> {
  if (of.length === 0) return;
  const counts = WAY_COUNTS.join(", ");
  await db.query(
    // who was forgotten meanwhile has no hours
    `insert into sender_hour as h (sender, endpoint, hour, last_us, offset_least_us, offset_most_us, ${counts})
     select f.sender, endpoint, $1, last_us, off, off, ${counts}
     from unnest($2::int[], $3::text[], $4::bigint[], $5::bigint[], ${WAY_COUNTS.map((_, i) => `$${i + 6}::bigint[]`).join(", ")})
       as f (sender, endpoint, last_us, off, ${counts}) join sender s on s.id = f.sender
     on conflict (sender, hour, endpoint) do update set
       last_us = greatest(h.last_us, excluded.last_us), offset_least_us = least(h.offset_least_us, excluded.offset_least_us),
       offset_most_us = greatest(h.offset_most_us, excluded.offset_most_us), ${WAY_COUNTS.map((c) => `${c} = h.${c} + excluded.${c}`).join(", ")}`,
    [
      hour,
      of.map((w) => w.sender),
      of.map((w) => w.endpoint),
      of.map((w) => w.lastUs),
      of.map((w) => w.offsetUs),
      ...WAY_COUNTS.map((name) => of.map((w) => w[name])),
    ],
  );
}

/** As many hours go at once as may have been missed: a clock that is a year ahead for a moment takes nothing along. */
const HOURS_AT_ONCE = 30 * 24;

export const forgetHours = (db: Queryable, hour: number): Promise<unknown> =>
  db.query("delete from sender_hour where hour < $1 and hour >= $2", [
    hour - HOURS_KEPT,
    hour - HOURS_KEPT - HOURS_AT_ONCE,
  ]);

export async function keptCadences(db: Queryable, ids: readonly number[]): Promise<Map<number, SavedCadence>> {
  const { rows } = await db.query<{ sender: number; cadence: SavedCadence }>(
    "select sender, cadence from sender_activity where sender = any($1::int[]) and cadence is not null",
    [ids],
  );
  return new Map(rows.map((r) => [r.sender, r.cadence]));
}
