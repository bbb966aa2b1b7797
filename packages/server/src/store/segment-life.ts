import { type Queryable, transaction } from "../kernel/db/pool.js";
import { segmentTable, shapeOf } from "./segments.js";

/**
 * The life of a segment, one way: *open*, while its collector writes to it; *closed*, when nothing is written to it any more, and the keeper
 * indexes what is left of it; *sealed*, when its terms answer what searches ask; *dropped*, when it is gone and only remembered. Every
 * step is one statement or transaction that names the state it starts from, so that two who take it at once take it once.
 */
type SegmentState = "open" | "closed" | "sealed";

/** @returns whether it was in that state */
async function step(db: Queryable, name: string, from: SegmentState, to: SegmentState): Promise<boolean> {
  const { rowCount } = await db.query("update segment set state = $3 where name = $1 and state = $2", [name, from, to]);
  return rowCount === 1;
}

/** By its writer, when it is full or its day is over. */
export const closeSegment = (db: Queryable, name: string): Promise<boolean> => step(db, name, "open", "closed");

/** What nobody writes to any more, late records of one day or a sender's own segment, would stay open for ever. */
export async function closeSegmentsOf(db: Queryable, createdBeforeUs: number): Promise<void> {
  await db.query("update segment set state = 'closed' where state = 'open' and created_us < $1", [createdBeforeUs]);
}

/**
 * What searches asked of B-trees while a segment filled, its terms answer now: only ids and time keep one. Readers are waited for
 * a moment; if that is not enough, the segment is sealed another time.
 */
export async function sealSegment(client: Queryable, name: string): Promise<void> {
  await transaction(client, async () => {
    await client.query("set local lock_timeout = '2s'");
    await client.query("select segments.drop_filling_indexes($1)", [name]);
    await step(client, name, "closed", "sealed");
  });
  // without statistics the first scans are planned blindly
  await client.query("select segments.make_statistics($1)", [name]);
}

/**
 * Keeps a segment from being dropped until the transaction ends; its writer is not held up.
 * @returns whether it is still there
 */
export async function holdSegment(db: Queryable, name: string): Promise<boolean> {
  const { rowCount } = await db.query("select from segment where name = $1 for key share", [name]);
  return rowCount === 1;
}

/**
 * Drops a segment with all that belongs to it: its table, its terms, the raw bytes of its records. That it was there is remembered.
 * @param before work that belongs to the same commit
 */
export async function dropSegment(
  client: Queryable,
  name: string,
  nowUs: number,
  before?: () => Promise<void>,
): Promise<void> {
  await transaction(client, async () => {
    await client.query("select from segment where name = $1 for update", [name]);
    await before?.();
    if (shapeOf(name) === "record")
      await client.query(`delete from raw_bytes b using ${segmentTable(name)} r where b.id = r.id`);
    await client.query("select segments.drop_table($1)", [name]);
    await client.query(
      `insert into dropped_segment (name, shape, rows, min_time, max_time, dropped_us)
       select name, shape, rows, min_time, max_time, $2 from segment where name = $1 and rows > 0
       on conflict (name) do update set rows = excluded.rows, min_time = excluded.min_time, max_time = excluded.max_time, dropped_us = excluded.dropped_us`,
      [name, nowUs],
    );
    await client.query("delete from segment where name = $1", [name]);
  });
}
