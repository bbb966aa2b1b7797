import type { HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { compileFilter, type Filter, type RecordTest, timeBounds } from "@halvik/core/query/filter";
import { planFilter, type TermPlan } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { type FilterSql, filterToSql, Params } from "./filter-sql.js";
import { type Reader, readRows, selectFrom } from "./record-rows.js";
import type { Shape } from "./segments.js";
import { type Source, sourcesBetween } from "./sources.js";
import type { TermIndex } from "./term-index.js";

/** What is searched: a filter over a window, and within what time an answer is wanted. */
export interface SearchScope {
  readonly filter: Filter;
  readonly fromUs: number;
  readonly toUs: number;
  readonly directory: SenderDirectory;
  readonly nowUs: number;
  readonly budgetMs: number;
  readonly terms: TermIndex;
  /** Segments of this shape alone; undefined: of every one. */
  readonly shape?: Shape;
}

/** How an answer came about. */
export interface Searched {
  segments: number;
  /** Parts answered from the index of terms alone or with a look at some of their rows. */
  byTerms: number;
  /** Parts and rows not yet indexed that the database went through. */
  byScan: number;
  /** Rows that had to be looked at. */
  rowsRead: number;
  /** Parts that were dropped by retention while they were searched. */
  gone: number;
}

const UNDEFINED_TABLE = "42P01";

/** A filter for one shape, with its parameters. */
interface Compiled {
  readonly params: Params;
  readonly condition: FilterSql;
}

/** A search under way: the filter in its three forms, the sources of its window, and what has been done for it. */
export class SearchQuery {
  readonly plan: TermPlan;
  readonly test: RecordTest;
  readonly fromUs: number;
  readonly toUs: number;
  readonly searched: Searched = { segments: 0, byTerms: 0, byScan: 0, rowsRead: 0, gone: 0 };
  private readonly started = performance.now();
  private ended = false;

  constructor(
    readonly db: Queryable,
    readonly scope: SearchScope,
  ) {
    const bounds = timeBounds(scope.filter, scope.nowUs);
    this.fromUs = Math.max(scope.fromUs, bounds.fromUs);
    this.toUs = Math.min(scope.toUs, bounds.toUs);
    this.plan = planFilter(scope.filter, scope);
    this.test = compileFilter(scope.filter, scope);
  }

  /** Nothing more is wanted: what is not looked at yet is left. */
  end(): void {
    this.ended = true;
  }

  get isOver(): boolean {
    return this.ended || performance.now() - this.started > this.scope.budgetMs;
  }

  async sources(): Promise<Source[]> {
    if (this.fromUs >= this.toUs) return [];
    const { shape } = this.scope;
    const sources = (await sourcesBetween(this.db, this.fromUs, this.toUs)).filter(
      (s) => shape === undefined || s.shape === shape,
    );
    this.searched.segments = new Set(sources.map((s) => s.segment)).size;
    return sources;
  }

  /** Rows of a query on a segment; none when retention has dropped it meanwhile. */
  async rows(text: string, values: readonly unknown[], rowMode?: "array"): Promise<readonly unknown[]> {
    try {
      return (await this.db.query({ text, values: [...values], ...(rowMode && { rowMode }) })).rows;
    } catch (e) {
      if ((e as { code?: string }).code !== UNDEFINED_TABLE) throw e;
      this.searched.gone++;
      return [];
    }
  }

  /** Records of a segment by id. */
  async readIds(segment: string, ids: readonly string[], reader?: Reader): Promise<HalvikRecord[]> {
    this.searched.rowsRead += ids.length;
    return readRows(segment, await this.rows(`${selectFrom(segment, reader)} where r.id = any($1::bigint[])`, [ids]));
  }

  compile(shape: Shape): Compiled {
    const params = new Params();
    return { params, condition: filterToSql(this.scope.filter, params, { ...this.scope, shape }) };
  }

  /** The window and a source's bounds of ids as a condition on `r`. */
  bounds(source: Source, params: Params): string {
    const parts = [`r.time >= ${params.add(this.fromUs, "::bigint")}`, `r.time < ${params.add(this.toUs, "::bigint")}`];
    if (source.firstId !== null)
      parts.push(`r.id ${source.part === null ? ">" : ">="} ${params.add(source.firstId, "::bigint")}`);
    if (source.lastId !== null) parts.push(`r.id <= ${params.add(source.lastId, "::bigint")}`);
    return parts.join(" and ");
  }
}
