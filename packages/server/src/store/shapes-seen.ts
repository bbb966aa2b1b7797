import type { HalvikRecord } from "@halvik/core/model/record";
import type { Queryable } from "../kernel/db/pool.js";

interface Seen {
  records: number;
  firstUs: number;
  lastUs: number;
}

/** When the shapes of some records were seen, so that first and last time outlive the records. */
export class ShapesSeen {
  private readonly seen = new Map<number, Seen>();

  add({ shape, timeUs }: Pick<HalvikRecord, "shape" | "timeUs">): void {
    if (shape === null) return;
    const there = this.seen.get(shape);
    if (there === undefined) this.seen.set(shape, { records: 1, firstUs: timeUs, lastUs: timeUs });
    else {
      there.records++;
      if (timeUs < there.firstUs) there.firstUs = timeUs;
      if (timeUs > there.lastUs) there.lastUs = timeUs;
    }
  }

  /** Adds what was seen to what is kept. Belongs in the transaction that notes that these records have been looked through. */
  async write(db: Queryable): Promise<void> {
    if (this.seen.size === 0) return;
    const all = [...this.seen].sort(([a], [b]) => a - b);
    await db.query(
      `update shape s set records = s.records + n.records, first_us = least(s.first_us, n.first), last_us = greatest(s.last_us, n.last)
       from unnest($1::int[], $2::bigint[], $3::bigint[], $4::bigint[]) as n (id, records, first, last) where s.id = n.id`,
      [
        all.map(([id]) => id),
        all.map(([, s]) => s.records),
        all.map(([, s]) => s.firstUs),
        all.map(([, s]) => s.lastUs),
      ],
    );
  }
}
