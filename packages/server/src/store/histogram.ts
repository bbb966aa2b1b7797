import { type Filter, namesField } from "@halvik/core/query/filter";
import { DIRECTORY_ROWS, planFilter, type RowSet } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { filterToSql, fromRollups, Params } from "./filter-sql.js";
import { eachSource, type PartSource, type SourceVisitor } from "./part-matches.js";
import { readRows, selectFrom } from "./record-rows.js";
import { ROLLUP_LEVELS } from "./rollups.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import { segmentTable } from "./segments.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";

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
  /** False when time was over first: the counts are then lower bounds, complete from `coveredFromUs` on. */
  readonly exact: boolean;
  readonly coveredFromUs: number;
  readonly source: "rollups" | "records";
  readonly searched: Searched | null;
}

const SCAN_ROWS = 5_000;
const ERRORS: Filter = {
  type: "compare",
  field: "severity",
  test: { op: "severity", values: [0, 1, 2, 3] },
  negated: false,
  span: { start: 0, end: 0 },
};

/** Counts over time: from rollups where they hold the answer, else from terms and, where those are not sure, from records. */
export async function histogram(db: Queryable, scope: SearchScope, widthUs: number): Promise<Histogram> {
  const query = new SearchQuery(db, scope);
  const { fromUs, toUs } = query;
  if (fromUs >= toUs)
    return { buckets: [], widthUs, total: 0, exact: true, coveredFromUs: fromUs, source: "rollups", searched: null };
  const bySender = namesField(scope.filter, "sender");
  const levels = ROLLUP_LEVELS.filter((l) => widthUs % l.widthUs === 0 && (l.bySender || !bySender));
  if (!fromRollups(scope.filter) || levels.length === 0) return new Counting(query, widthUs).run();
  // rollups outlive the records they were made of: as far as segments have been dropped, what is left is counted
  const { rows } = await db.query<{ dropped: number | null }>(
    "select max(max_time) as dropped from dropped_segment where max_time >= $1 and min_time < $2",
    [fromUs, toUs],
  );
  const keptFromUs = Math.min(toUs, (rows[0]!.dropped ?? fromUs - 1) + 1);
  const kept = await countStretch(db, scope, { fromUs: keptFromUs, toUs }, levels, widthUs);
  if (keptFromUs === fromUs) return kept;
  return joined(kept, await countStretch(db, scope, { fromUs, toUs: keptFromUs }, [], widthUs));
}

type Level = (typeof ROLLUP_LEVELS)[number];
interface Stretch {
  readonly fromUs: number;
  readonly toUs: number;
}

/** The whole buckets of the coarsest level that fits from its rollup; what is left at both ends from finer ones, at last from records. */
async function countStretch(
  db: Queryable,
  scope: SearchScope,
  stretch: Stretch,
  levels: readonly Level[],
  widthUs: number,
): Promise<Histogram> {
  const { fromUs, toUs } = stretch;
  const level = levels[levels.length - 1];
  if (level === undefined || fromUs >= toUs)
    return new Counting(new SearchQuery(db, { ...scope, fromUs, toUs }), widthUs).run();
  const finer = levels.slice(0, -1);
  const innerFrom = Math.ceil(fromUs / level.widthUs) * level.widthUs;
  const innerTo = Math.floor(toUs / level.widthUs) * level.widthUs;
  if (innerFrom >= innerTo) return countStretch(db, scope, stretch, finer, widthUs);
  const ends: readonly Stretch[] = [
    { fromUs: innerTo, toUs },
    { fromUs, toUs: innerFrom },
  ];
  let answer = await countRollups(db, scope, { fromUs: innerFrom, toUs: innerTo }, level, widthUs);
  for (const end of ends)
    if (end.fromUs < end.toUs) answer = joined(answer, await countStretch(db, scope, end, finer, widthUs));
  return answer;
}

function joined(a: Histogram, b: Histogram): Histogram {
  const counts = new Map(a.buckets.map((bucket) => [bucket.fromUs, bucket]));
  for (const bucket of b.buckets) {
    const known = counts.get(bucket.fromUs);
    counts.set(bucket.fromUs, {
      fromUs: bucket.fromUs,
      count: bucket.count + (known?.count ?? 0),
      errors: bucket.errors + (known?.errors ?? 0),
    });
  }
  return {
    ...a,
    buckets: [...counts.values()].sort((x, y) => x.fromUs - y.fromUs),
    total: a.total + b.total,
    exact: a.exact && b.exact,
    coveredFromUs: Math.min(a.coveredFromUs, b.coveredFromUs),
  };
}

async function countRollups(
  db: Queryable,
  scope: SearchScope,
  { fromUs, toUs }: Stretch,
  level: Level,
  widthUs: number,
): Promise<Histogram> {
  const params = new Params();
  const condition = filterToSql(scope.filter, params, scope);
  const per = widthUs / level.widthUs;
  const { rows } = await db.query<{ bucket: number; count: number; errors: number }>(
    `select r.bucket / ${per} as bucket, sum(r.count)::bigint as count, coalesce(sum(r.count) filter (where r.severity <= 3), 0)::bigint as errors
     from ${level.table} r where r.bucket >= ${params.add(Math.floor(fromUs / level.widthUs))} and r.bucket < ${params.add(Math.ceil(toUs / level.widthUs))} and ${condition.text}
     group by 1 order by 1`,
    params.values,
  );
  const buckets = rows.map((r) => ({ fromUs: r.bucket * widthUs, count: r.count, errors: r.errors }));
  const total = buckets.reduce((sum, b) => sum + b.count, 0);
  return { buckets, widthUs, total, exact: true, coveredFromUs: fromUs, source: "rollups", searched: null };
}

/** Counting source by source, newest first. */
class Counting implements SourceVisitor {
  private readonly counts = new Map<number, { count: number; errors: number }>();
  private readonly errorPlan;

  constructor(
    private readonly query: SearchQuery,
    private readonly widthUs: number,
  ) {
    this.errorPlan = planFilter(ERRORS, query.scope);
  }

  async run(): Promise<Histogram> {
    const stoppedAtUs = await eachSource(this.query, this);
    return this.result(stoppedAtUs === null ? null : stoppedAtUs + 1);
  }

  private result(openBeforeUs: number | null): Histogram {
    const { widthUs, query } = this;
    const buckets = [...this.counts]
      .sort(([a], [b]) => a - b)
      .map(([bucket, c]) => ({ fromUs: bucket * widthUs, ...c }));
    return {
      buckets,
      widthUs,
      total: buckets.reduce((sum, b) => sum + b.count, 0),
      exact: openBeforeUs === null,
      // whole buckets only: from here on nothing is missing
      coveredFromUs:
        openBeforeUs === null ? query.fromUs : Math.min(query.toUs, Math.ceil(openBeforeUs / widthUs) * widthUs),
      source: "records",
      searched: query.searched,
    };
  }

  private add(bucket: number, count: number, errors: number): void {
    const known = this.counts.get(bucket);
    if (known) {
      known.count += count;
      known.errors += errors;
    } else this.counts.set(bucket, { count, errors });
  }

  /** Rows of a part by their times: only blocks that reach over the edge of a bucket are read. */
  async fromTerms(source: PartSource, head: PartHead, rows: RowSet): Promise<void> {
    if (rows.isEmpty()) return;
    const { db, scope } = this.query;
    const errors =
      source.shape === "flow"
        ? null
        : (await scope.terms.answer(db, this.errorPlan, [source.part])).get(source.part)?.sure.and(rows);
    for (const [number, minUs] of head.blockMinUs.entries()) {
      const first = number * DIRECTORY_ROWS;
      const count = rows.count(first, first + DIRECTORY_ROWS);
      if (count === 0) continue;
      const bucket = Math.floor(minUs / this.widthUs);
      if (bucket === Math.floor(head.blockMaxUs[number]! / this.widthUs)) {
        this.add(bucket, count, errors?.count(first, first + DIRECTORY_ROWS) ?? 0);
        continue;
      }
      const columns = (await scope.terms.readDirectory(db, source.part, new Set([number]))).get(number);
      if (columns === undefined) continue;
      for (const row of rows.list(first, first + DIRECTORY_ROWS))
        this.add(Math.floor(columns.timesUs[row - first]! / this.widthUs), 1, errors?.has(row) ? 1 : 0);
    }
  }

  /** Lets the database count; where the filter has to be decided here, reads what it lets through. @returns false when time was over */
  async scan(source: Source): Promise<boolean> {
    const { query } = this;
    const { params, condition } = query.compile(source.shape);
    const where = `where ${query.bounds(source, params)} and ${condition.text}`;
    query.searched.rowsRead += source.rows;
    if (condition.exact) {
      const errors = source.shape === "flow" ? "0" : "count(*) filter (where r.severity <= 3)";
      const rows = await query.rows(
        `select r.time / ${this.widthUs} as bucket, count(*) as count, ${errors} as errors from ${segmentTable(source.segment)} r ${where} group by 1`,
        params.values,
      );
      for (const r of rows as { bucket: number; count: number; errors: number }[])
        this.add(r.bucket, r.count, Number(r.errors));
      return true;
    }
    const after = params.add("0", "::bigint");
    const ofAfter = params.values.length - 1;
    for (;;) {
      const rows = await query.rows(
        `${selectFrom(source.segment)} ${where} and r.id > ${after} order by r.id limit ${SCAN_ROWS}`,
        params.values,
      );
      const records = readRows(source.segment, rows);
      for (const r of records)
        if (query.test(r)) this.add(Math.floor(r.timeUs / this.widthUs), 1, r.severity <= 3 ? 1 : 0);
      if (records.length < SCAN_ROWS) return true;
      if (query.isOver) return false;
      params.values[ofAfter] = records[records.length - 1]!.id;
    }
  }
}
