import { compileFilter, type Filter, timeBounds } from "@halvik/core/filter";
import type { HalvikRecord } from "@halvik/core/record";
import type { SenderDirectory } from "@halvik/core/senders";
import { type FilterSql, filterToSql, fromRollups, Params } from "./filter-sql.js";
import type { Queryable } from "./pool.js";
import { type RecordRow, SELECT_COLUMNS, toRecord } from "./record-columns.js";
import { ROLLUP_LEVELS } from "./rollups.js";
import { segmentsBetween, segmentsWithIds, segmentTable } from "./segments.js";

/** Where a page ends: the key (time, id) of its last record, or how far a partial search came. */
export interface PageKey {
  readonly timeUs: number;
  readonly id: string;
}

export interface SearchRequest {
  readonly filter: Filter;
  readonly fromUs: number;
  readonly toUs: number;
  readonly limit: number;
  /** Records strictly before (older) or after (newer) this key. */
  readonly cursor: PageKey | null;
  readonly direction: "older" | "newer";
  readonly directory: SenderDirectory;
  readonly nowUs: number;
  readonly budgetMs: number;
}

export interface SearchPage {
  /** In the asked direction's order: newest first for "older", oldest first for "newer". */
  readonly records: readonly HalvikRecord[];
  /** Where to go on; null when everything in the window was looked at. */
  readonly next: PageKey | null;
  /** The time budget ended before the page was full. */
  readonly partial: boolean;
  readonly segments: number;
}

const CHUNK_ROWS = 2_000;

/** One page by keyset over the segments of a window, newest (or oldest) first, within a time budget. */
export async function searchRecords(db: Queryable, request: SearchRequest): Promise<SearchPage> {
  const bounds = timeBounds(request.filter, request.nowUs);
  const fromUs = Math.max(request.fromUs, bounds.fromUs);
  const toUs = Math.min(request.toUs, bounds.toUs);
  if (fromUs >= toUs) return { records: [], next: null, partial: false, segments: 0 };
  const segments = await segmentsBetween(db, fromUs, toUs);
  const test = compileFilter(request.filter, request);
  const started = performance.now();
  const found: HalvikRecord[] = [];
  let cursor = request.cursor;
  for (;;) {
    const params = new Params();
    const condition = filterToSql(request.filter, params, request);
    const rows = condition.exact ? request.limit + 1 : CHUNK_ROWS;
    const chunk = await fetchChunk(db, segments, condition, params, { ...request, fromUs, toUs, cursor }, rows);
    for (const record of chunk) {
      if (!condition.exact && !test(record)) continue;
      if (found.length === request.limit)
        return { records: found, next: keyOf(found[found.length - 1]!), partial: false, segments: segments.length };
      found.push(record);
    }
    if (chunk.length < rows) return { records: found, next: null, partial: false, segments: segments.length };
    cursor = keyOf(chunk[chunk.length - 1]!);
    if (performance.now() - started > request.budgetMs)
      return { records: found, next: cursor, partial: true, segments: segments.length };
  }
}

const keyOf = (r: HalvikRecord): PageKey => ({ timeUs: r.timeUs, id: r.id });

/** The next rows in key order over all segments; a segment is asked only if it can still hold some of them. */
async function fetchChunk(
  db: Queryable,
  segments: Awaited<ReturnType<typeof segmentsBetween>>,
  condition: FilterSql,
  params: Params,
  window: Pick<SearchRequest, "fromUs" | "toUs" | "cursor" | "direction">,
  limit: number,
): Promise<HalvikRecord[]> {
  const older = window.direction === "older";
  const from = params.add(window.fromUs, "::bigint");
  const to = params.add(window.toUs, "::bigint");
  let keyset = "";
  if (window.cursor) {
    const time = params.add(window.cursor.timeUs, "::bigint");
    const id = params.add(window.cursor.id, "::bigint");
    keyset = ` and (r.time, r.id) ${older ? "<" : ">"} (${time}, ${id}) and r.time ${older ? "<=" : ">="} ${time}`;
  }
  const order = older ? "order by r.time desc, r.id desc" : "order by r.time, r.id";
  const ordered = older ? segments : [...segments].sort((a, b) => a.minTimeUs - b.minTimeUs);
  let rows: RecordRow[] = [];
  for (const segment of ordered) {
    const last = rows[limit - 1];
    if (last && (older ? last.time > segment.maxTimeUs : last.time < segment.minTimeUs)) break;
    if (window.cursor && (older ? segment.minTimeUs > window.cursor.timeUs : segment.maxTimeUs < window.cursor.timeUs))
      continue;
    const result = await db.query<RecordRow>(
      `select ${SELECT_COLUMNS} from ${segmentTable(segment.name)} r where r.time >= ${from} and r.time < ${to}${keyset} and ${condition.text} ${order} limit ${limit}`,
      params.values,
    );
    rows = rows.length === 0 ? result.rows : mergeRows(rows, result.rows, older).slice(0, limit);
  }
  return rows.map(toRecord);
}

function mergeRows(a: readonly RecordRow[], b: readonly RecordRow[], older: boolean): RecordRow[] {
  const sign = older ? -1 : 1;
  return [...a, ...b].sort(
    (x, y) => sign * (x.time - y.time || x.id.length - y.id.length || (x.id < y.id ? -1 : x.id > y.id ? 1 : 0)),
  );
}

/** A record by id with its raw bytes as kept, or null. */
export async function findRecord(
  db: Queryable,
  id: string,
): Promise<{ record: HalvikRecord; raw: Buffer | null } | null> {
  for (const name of await segmentsWithIds(db, id, id)) {
    const { rows } = await db.query<RecordRow>(
      `select ${SELECT_COLUMNS} from ${segmentTable(name)} r where r.id = $1::bigint`,
      [id],
    );
    const row = rows[0];
    if (!row) continue;
    const raw = await db.query<{ raw: Buffer }>("select raw from raw_bytes where id = $1::bigint", [id]);
    return { record: toRecord(row), raw: raw.rows[0]?.raw ?? null };
  }
  return null;
}

/** Records by id, in no particular order; ids that are gone are left out. */
export async function findRecords(db: Queryable, ids: readonly string[]): Promise<HalvikRecord[]> {
  if (ids.length === 0) return [];
  const sorted = [...ids].sort((a, b) => a.length - b.length || (a < b ? -1 : 1));
  const out: HalvikRecord[] = [];
  for (const name of await segmentsWithIds(db, sorted[0]!, sorted[sorted.length - 1]!)) {
    const { rows } = await db.query<RecordRow>(
      `select ${SELECT_COLUMNS} from ${segmentTable(name)} r where r.id = any($1::bigint[])`,
      [ids],
    );
    out.push(...rows.map(toRecord));
  }
  return out;
}

/** Records whose ids lie in [low, high] and that a filter may match, in id order: how the store is followed. */
export async function recordsInIdRange(
  db: Queryable,
  low: string,
  high: string,
  filter: Filter,
  directory: SenderDirectory,
  nowUs: number,
  limit: number,
): Promise<HalvikRecord[]> {
  const out: HalvikRecord[] = [];
  for (const name of await segmentsWithIds(db, low, high)) {
    const params = new Params();
    const condition = filterToSql(filter, params, { directory, nowUs });
    const { rows } = await db.query<RecordRow>(
      `select ${SELECT_COLUMNS} from ${segmentTable(name)} r where r.id >= ${params.add(low, "::bigint")} and r.id <= ${params.add(high, "::bigint")} and ${condition.text} order by r.id desc limit ${limit}`,
      params.values,
    );
    out.push(...rows.map(toRecord));
  }
  return out;
}

export interface HistogramBucket {
  readonly fromUs: number;
  readonly count: number;
  /** Error or worse. */
  readonly errors: number;
}

export interface Histogram {
  readonly buckets: readonly HistogramBucket[];
  readonly widthUs: number;
  readonly total: number;
  /** False when the budget ended first: the counts are then lower bounds, complete down to `coveredFromUs`. */
  readonly exact: boolean;
  readonly coveredFromUs: number;
  readonly source: "rollups" | "records";
}

/** Counts over time. From rollups where they hold the answer, else counted over the records, newest first. */
export async function histogram(
  db: Queryable,
  request: Omit<SearchRequest, "limit" | "cursor" | "direction">,
  widthUs: number,
): Promise<Histogram> {
  const bounds = timeBounds(request.filter, request.nowUs);
  const fromUs = Math.max(request.fromUs, bounds.fromUs);
  const toUs = Math.min(request.toUs, bounds.toUs);
  if (fromUs >= toUs) return { buckets: [], widthUs, total: 0, exact: true, coveredFromUs: fromUs, source: "rollups" };
  const bySender = JSON.stringify(request.filter).includes('"field":"sender"');
  const level = [...ROLLUP_LEVELS].reverse().find((l) => widthUs % l.widthUs === 0 && (l.bySender || !bySender));
  if (fromRollups(request.filter) && level && fromUs % level.widthUs === 0)
    return countRollups(db, request, level, fromUs, toUs, widthUs);
  return countRecords(db, request, fromUs, toUs, widthUs);
}

async function countRollups(
  db: Queryable,
  request: Pick<SearchRequest, "filter" | "directory" | "nowUs">,
  level: (typeof ROLLUP_LEVELS)[number],
  fromUs: number,
  toUs: number,
  widthUs: number,
): Promise<Histogram> {
  const params = new Params();
  const condition = filterToSql(request.filter, params, request);
  const per = widthUs / level.widthUs;
  const { rows } = await db.query<{ bucket: number; count: number; errors: number }>(
    `select r.bucket / ${per} as bucket, sum(r.count)::bigint as count, coalesce(sum(r.count) filter (where r.severity <= 3), 0)::bigint as errors
     from ${level.table} r where r.bucket >= ${params.add(Math.floor(fromUs / level.widthUs))} and r.bucket < ${params.add(Math.ceil(toUs / level.widthUs))} and ${condition.text}
     group by 1 order by 1`,
    params.values,
  );
  const buckets = rows.map((r) => ({ fromUs: r.bucket * widthUs, count: r.count, errors: r.errors }));
  return {
    buckets,
    widthUs,
    total: buckets.reduce((sum, b) => sum + b.count, 0),
    exact: true,
    coveredFromUs: fromUs,
    source: "rollups",
  };
}

async function countRecords(
  db: Queryable,
  request: Omit<SearchRequest, "limit" | "cursor" | "direction">,
  fromUs: number,
  toUs: number,
  widthUs: number,
): Promise<Histogram> {
  const counts = new Map<number, { count: number; errors: number }>();
  const add = (bucket: number, count: number, errors: number) => {
    const known = counts.get(bucket);
    if (known) {
      known.count += count;
      known.errors += errors;
    } else counts.set(bucket, { count, errors });
  };
  const params = new Params();
  const condition = filterToSql(request.filter, params, request);
  let exact = true;
  let coveredFromUs = fromUs;
  if (condition.exact) {
    const from = params.add(fromUs, "::bigint");
    const to = params.add(toUs, "::bigint");
    for (const segment of await segmentsBetween(db, fromUs, toUs)) {
      const { rows } = await db.query<{ bucket: number; count: number; errors: number }>(
        `select r.time / ${widthUs} as bucket, count(*) as count, count(*) filter (where r.severity <= 3) as errors
         from ${segmentTable(segment.name)} r where r.time >= ${from} and r.time < ${to} and ${condition.text} group by 1`,
        params.values,
      );
      for (const r of rows) add(r.bucket, r.count, r.errors);
    }
  } else {
    const page = await searchRecords(db, {
      ...request,
      fromUs,
      toUs,
      limit: Number.MAX_SAFE_INTEGER,
      cursor: null,
      direction: "older",
    });
    for (const r of page.records) add(Math.floor(r.timeUs / widthUs), 1, r.severity <= 3 ? 1 : 0);
    exact = !page.partial;
    if (page.next) coveredFromUs = page.next.timeUs;
  }
  const buckets = [...counts].sort(([a], [b]) => a - b).map(([bucket, c]) => ({ fromUs: bucket * widthUs, ...c }));
  return {
    buckets,
    widthUs,
    total: buckets.reduce((sum, b) => sum + b.count, 0),
    exact,
    coveredFromUs,
    source: "records",
  };
}
