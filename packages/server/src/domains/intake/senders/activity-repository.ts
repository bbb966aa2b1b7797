import type { SavedCadence } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { WayCounts } from "./way-counts.js";

/** What was counted and learnt of a sender since it was last written. */
export interface FreshActivity {
  readonly sender: number;
  readonly lastHeardUs: number | null;
  readonly records: number;
  readonly bytes: number;
  readonly problems: number;
  readonly late: number;
  readonly copies: number;
  readonly capped: number;
  readonly held: number;
  readonly heldRefused: number;
  readonly clockOffsetUs: number;
  /** All that is known of its cadence; null: as it was. */
  readonly cadence: SavedCadence | null;
}

export async function addActivity(db: Queryable, of: readonly FreshActivity[]): Promise<void> {
  await db.query(
    `insert into sender_activity as a (sender, last_heard_us, records, bytes, problems, late, copies, capped, held, held_refused, clock_offset_us, cadence)
     select * from unnest($1::int[], $2::bigint[], $3::bigint[], $4::bigint[], $5::bigint[], $6::bigint[], $7::bigint[], $8::bigint[], $9::bigint[], $10::bigint[], $11::bigint[], $12::jsonb[])
     on conflict (sender) do update set
       last_heard_us = greatest(a.last_heard_us, excluded.last_heard_us), records = a.records + excluded.records, bytes = a.bytes + excluded.bytes,
       problems = a.problems + excluded.problems, late = a.late + excluded.late, copies = a.copies + excluded.copies, capped = a.capped + excluded.capped,
       held = a.held + excluded.held, held_refused = a.held_refused + excluded.held_refused, clock_offset_us = excluded.clock_offset_us, cadence = coalesce(excluded.cadence, a.cadence)`,
    [
      of.map((s) => s.sender),
      of.map((s) => s.lastHeardUs),
      of.map((s) => s.records),
      of.map((s) => s.bytes),
      of.map((s) => s.problems),
      of.map((s) => s.late),
      of.map((s) => s.copies),
      of.map((s) => s.capped),
      of.map((s) => s.held),
      of.map((s) => s.heldRefused),
      of.map((s) => s.clockOffsetUs),
      of.map((s) => (s.cadence === null ? null : JSON.stringify(s.cadence))),
    ],
  );
}

/** What came of a sender by one way in since it was last written, and how far its clock is off. */
export interface FreshWay extends Readonly<WayCounts> {
  readonly sender: number;
  readonly endpoint: string;
  readonly offsetUs: number;
}

/** Days of which it is known by the hour. */
const HOURS_KEPT = 90 * 24;

export async function addHours(db: Queryable, hour: number, of: readonly FreshWay[]): Promise<void> {
  if (of.length === 0) return;
  await db.query(
    // who was forgotten meanwhile has no hours
    `insert into sender_hour as h (sender, endpoint, hour, records, bytes, problems, late, copies, capped, last_us, offset_least_us, offset_most_us)
     select f.sender, endpoint, $1, records, bytes, problems, late, copies, capped, last_us, off, off
     from unnest($2::int[], $3::text[], $4::bigint[], $5::bigint[], $6::bigint[], $7::bigint[], $8::bigint[], $9::bigint[], $10::bigint[], $11::bigint[])
       as f (sender, endpoint, records, bytes, problems, late, copies, capped, last_us, off) join sender s on s.id = f.sender
     on conflict (sender, hour, endpoint) do update set
       records = h.records + excluded.records, bytes = h.bytes + excluded.bytes, problems = h.problems + excluded.problems,
       late = h.late + excluded.late, copies = h.copies + excluded.copies, capped = h.capped + excluded.capped, last_us = greatest(h.last_us, excluded.last_us),
       offset_least_us = least(h.offset_least_us, excluded.offset_least_us), offset_most_us = greatest(h.offset_most_us, excluded.offset_most_us)`,
    [
      hour,
      of.map((w) => w.sender),
      of.map((w) => w.endpoint),
      of.map((w) => w.records),
      of.map((w) => w.bytes),
      of.map((w) => w.problems),
      of.map((w) => w.late),
      of.map((w) => w.copies),
      of.map((w) => w.capped),
      of.map((w) => w.lastUs),
      of.map((w) => w.offsetUs),
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
