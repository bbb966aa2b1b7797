import type { Queryable } from "../kernel/db/pool.js";
import { type SegmentKind, type Shape, shapeOf } from "./segments.js";

/**
 * Where rows of a window may lie: a part of a segment that the index of terms knows, or the rows of a segment that are not
 * indexed yet. Together the sources of a window hold each of its rows once.
 */
export interface Source {
  readonly segment: string;
  readonly kind: SegmentKind;
  readonly shape: Shape;
  /** Number of the part; null for what is not indexed. */
  readonly part: number | null;
  readonly collector: number;
  readonly rows: number;
  /** Ids of its rows: after the first (not indexed) or from it (a part), up to the last. Null: no bound. */
  readonly firstId: string | null;
  readonly lastId: string | null;
  readonly minTimeUs: number;
  readonly maxTimeUs: number;
}

interface SourceRow {
  name: string;
  kind: SegmentKind;
  collector: number;
  rows: number;
  indexed_rows: number;
  indexed_id: string | null;
  min_time: number;
  max_time: number;
  part: number | null;
  part_rows: number;
  first_id: string;
  last_id: string;
  part_min: number;
  part_max: number;
}

/** Sources that may hold rows of [fromUs, toUs), those with the newest first. One statement: nothing falls between two looks. */
export async function sourcesBetween(db: Queryable, fromUs: number, toUs: number): Promise<Source[]> {
  const { rows } = await db.query<SourceRow>(
    `select s.name, s.kind, s.collector, s.rows, s.indexed_rows, s.indexed_id::text as indexed_id, s.min_time, s.max_time,
       p.id as part, p.rows as part_rows, p.first_id::text as first_id, p.last_id::text as last_id, p.min_time as part_min, p.max_time as part_max
     from segment s left join index_part p on p.segment = s.name and p.replaced_us is null and p.max_time >= $1 and p.min_time < $2
     where s.max_time >= $1 and s.min_time < $2`,
    [fromUs, toUs],
  );
  const sources: Source[] = [];
  const tails = new Set<string>();
  for (const r of rows) {
    const common = { segment: r.name, kind: r.kind, shape: shapeOf(r.name), collector: r.collector };
    if (r.part !== null)
      sources.push({
        ...common,
        part: r.part,
        rows: r.part_rows,
        firstId: r.first_id,
        lastId: r.last_id,
        minTimeUs: r.part_min,
        maxTimeUs: r.part_max,
      });
    if (r.rows > r.indexed_rows && !tails.has(r.name)) {
      tails.add(r.name);
      sources.push({
        ...common,
        part: null,
        rows: r.rows - r.indexed_rows,
        firstId: r.indexed_id,
        lastId: null,
        minTimeUs: r.min_time,
        maxTimeUs: r.max_time,
      });
    }
  }
  return sources.sort((a, b) => b.maxTimeUs - a.maxTimeUs || (a.segment < b.segment ? -1 : 1));
}
