import type { SavedCadence } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";

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

export async function keptCadences(db: Queryable, ids: readonly number[]): Promise<Map<number, SavedCadence>> {
  const { rows } = await db.query<{ sender: number; cadence: SavedCadence }>(
    "select sender, cadence from sender_activity where sender = any($1::int[]) and cadence is not null",
    [ids],
  );
  return new Map(rows.map((r) => [r.sender, r.cadence]));
}
