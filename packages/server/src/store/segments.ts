import type { Queryable } from "../kernel/db/pool.js";
import { collectorOf } from "./record-id.js";

export type SegmentKind = "live" | "late" | "import";

/** What the rows of a segment look like: records of any kind, or flows in columns of their own. */
export const SHAPES = ["record", "flow"] as const;
export type Shape = (typeof SHAPES)[number];

const NAME = /^[sf]_\d{4}_(live|late|import)_\d{6}$/;

/** The shape stands in the name's first letter. */
export const shapeOf = (name: string): Shape => (name.startsWith("f_") ? "flow" : "record");

/** The table of a segment, fit for SQL text: names come from the catalogue and are checked all the same. */
export function segmentTable(name: string): string {
  if (!NAME.test(name)) throw new Error(`segment name ${JSON.stringify(name)} is not one of ours`);
  return `segments.${name}`;
}

/** What the rows of a segment have in common, beside their collector. */
export interface SegmentOf {
  readonly kind: SegmentKind;
  readonly shape: Shape;
  readonly keepDays: number | null;
  /** The import they came by. */
  readonly job: number | null;
}

/** The open segment of a collector for such rows, or a new one. Only its collector writes to a segment. */
export async function openSegment(
  db: Queryable,
  collector: number,
  { kind, shape, keepDays, job }: SegmentOf,
  nowUs: number,
): Promise<{ name: string; rows: number; createdUs: number }> {
  const found = await db.query<{ name: string; rows: number; created_us: number }>(
    "select name, rows, created_us from segment where collector = $1 and kind = $2 and shape = $3 and keep_days is not distinct from $4 and job is not distinct from $5 and state = 'open' order by name desc limit 1",
    [collector, kind, shape, keepDays, job],
  );
  const row = found.rows[0];
  if (row) return { name: row.name, rows: row.rows, createdUs: row.created_us };
  const last = await db.query<{ n: number }>(
    "select coalesce(max(right(name, 6)::int), 0) as n from (select name from segment union all select name from dropped_segment) s where name like $1",
    [`${shape === "flow" ? "f" : "s"}\\_${String(collector).padStart(4, "0")}\\_${kind}\\_%`],
  );
  const name = `${shape === "flow" ? "f" : "s"}_${String(collector).padStart(4, "0")}_${kind}_${String(last.rows[0]!.n + 1).padStart(6, "0")}`;
  await db.query("select segments.make($1)", [name]);
  await db.query(
    "insert into segment (name, collector, kind, shape, keep_days, job, created_us) values ($1, $2, $3, $4, $5, $6, $7)",
    [name, collector, kind, shape, keepDays, job, nowUs],
  );
  return { name, rows: 0, createdUs: nowUs };
}

/** Tables whose ids reach into [low, high] (decimal). @param collector of this one alone: ids of collectors lie between one another; null: of all */
export async function segmentsWithIds(
  db: Queryable,
  low: string,
  high: string,
  collector: number | null = null,
): Promise<string[]> {
  const { rows } = await db.query<{ name: string }>(
    "select name from segment where max_id >= $1::bigint and min_id <= $2::bigint and ($3::int is null or collector = $3) order by name",
    [low, high, collector],
  );
  return rows.map((r) => r.name);
}

/** Records in the store; none where it has not been made yet. */
export async function countRecords(db: Queryable): Promise<number> {
  const there = await db.query<{ there: boolean }>("select to_regclass('public.segment') is not null as there");
  if (!there.rows[0]!.there) return 0;
  const { rows } = await db.query<{ n: number }>("select coalesce(sum(rows), 0)::bigint as n from segment");
  return rows[0]!.n;
}

/** From when on records are kept, and whether some of a window were dropped. */
export async function keptOf(
  db: Queryable,
  window: { readonly fromUs: number; readonly toUs: number },
): Promise<{ keptUs: number | null; dropped: boolean }> {
  const { rows } = await db.query<{ kept: number | null; dropped: boolean }>(
    "select (select min(min_time) from segment) as kept, exists (select from dropped_segment where max_time >= $1 and min_time < $2) as dropped",
    [window.fromUs, window.toUs],
  );
  return { keptUs: rows[0]!.kept, dropped: rows[0]!.dropped };
}

/** The segments that a job's import filled. */
export async function segmentsOfJob(db: Queryable, job: number): Promise<{ name: string; rows: number }[]> {
  const { rows } = await db.query<{ name: string; rows: number }>(
    "select name, rows from segment where job = $1 order by name",
    [job],
  );
  return rows;
}

/** The import that brought in a record, with the ids it lies between: one import at a time goes by a collector's number. Null: it came otherwise. */
export async function importOfRecord(
  db: Queryable,
  id: string,
): Promise<{ readonly low: bigint; readonly high: bigint } | null> {
  const { rows } = await db.query<{ low: string; high: string }>(
    `select min(s.min_id)::text as low, max(s.max_id)::text as high from segment s
     join (select collector, job from segment where collector = $1 and job is not null and min_id <= $2 and max_id >= $2 limit 1) j
       on s.collector = j.collector and s.job = j.job group by s.job`,
    [collectorOf(id), id],
  );
  return rows[0] === undefined ? null : { low: BigInt(rows[0].low), high: BigInt(rows[0].high) };
}

/** What the store holds, and the octets of all of the database. */
export async function storeSize(db: Queryable): Promise<{ records: number; oldestUs: number | null; bytes: number }> {
  const { rows } = await db.query<{ records: number; oldest: number | null; bytes: number }>(
    "select coalesce(sum(rows), 0)::bigint as records, min(min_time) as oldest, pg_database_size(current_database()) as bytes from segment",
  );
  const { records, oldest, bytes } = rows[0]!;
  return { records, oldestUs: oldest, bytes };
}
