import type { Queryable } from "./pool.js";

export type SegmentKind = "live" | "late" | "import";

/** A segment as the catalogue has it. Times in µs; ids as decimal text. */
export interface Segment {
  readonly name: string;
  readonly kind: SegmentKind;
  readonly state: "open" | "sealed";
  readonly collector: number;
  readonly rows: number;
  readonly minTimeUs: number;
  readonly maxTimeUs: number;
}

const NAME = /^s_\d{4}_(live|late|import)_\d{6}$/;

/** The table of a segment, fit for SQL text: names come from the catalogue and are checked all the same. */
export function segmentTable(name: string): string {
  if (!NAME.test(name)) throw new Error(`segment name ${JSON.stringify(name)} is not one of ours`);
  return `segments.${name}`;
}

/** The open segment of a collector and kind, or a new one. Only its collector writes to a segment. */
export async function openSegment(
  db: Queryable,
  collector: number,
  kind: SegmentKind,
  nowUs: number,
): Promise<{ name: string; rows: number; createdUs: number }> {
  const found = await db.query<{ name: string; rows: number; created_us: number }>(
    "select name, rows, created_us from segment where collector = $1 and kind = $2 and state = 'open' order by name desc limit 1",
    [collector, kind],
  );
  const row = found.rows[0];
  if (row) return { name: row.name, rows: row.rows, createdUs: row.created_us };
  const count = await db.query<{ n: number }>(
    "select count(*)::int as n from segment where collector = $1 and kind = $2",
    [collector, kind],
  );
  const name = `s_${String(collector).padStart(4, "0")}_${kind}_${String((count.rows[0]?.n ?? 0) + 1).padStart(6, "0")}`;
  await db.query(`create table ${segmentTable(name)} (like segments.template including all)`);
  await db.query("insert into segment (name, collector, kind, created_us) values ($1, $2, $3, $4)", [
    name,
    collector,
    kind,
    nowUs,
  ]);
  return { name, rows: 0, createdUs: nowUs };
}

export async function sealSegment(db: Queryable, name: string): Promise<void> {
  await db.query("update segment set state = 'sealed' where name = $1", [name]);
}

/** Segments that may hold records of [fromUs, toUs), those with the newest records first. */
export async function segmentsBetween(db: Queryable, fromUs: number, toUs: number): Promise<Segment[]> {
  const { rows } = await db.query<{
    name: string;
    kind: SegmentKind;
    state: "open" | "sealed";
    collector: number;
    rows: number;
    min_time: number;
    max_time: number;
  }>(
    "select name, kind, state, collector, rows, min_time, max_time from segment where max_time >= $1 and min_time < $2 order by max_time desc, name",
    [fromUs, toUs],
  );
  return rows.map((r) => ({
    name: r.name,
    kind: r.kind,
    state: r.state,
    collector: r.collector,
    rows: r.rows,
    minTimeUs: r.min_time,
    maxTimeUs: r.max_time,
  }));
}

/** Tables whose ids reach into [low, high] (decimal), of one collector or all. */
export async function segmentsWithIds(db: Queryable, low: string, high: string): Promise<string[]> {
  const { rows } = await db.query<{ name: string }>(
    "select name from segment where max_id >= $1::bigint and min_id <= $2::bigint order by name",
    [low, high],
  );
  return rows.map((r) => r.name);
}
