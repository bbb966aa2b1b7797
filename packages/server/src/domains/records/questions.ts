import type { Rule } from "@halvik/core/detect";
import type { HalvikRecord } from "@halvik/core/model/record";
import { compileFilter, type Filter, hasPatterns } from "@halvik/core/query/filter";
import type { Measure } from "@halvik/core/query/measure";
import type { Queryable } from "../../kernel/db/pool.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import type { BatchIds } from "../../store/batches.js";
import { type CountedBy, countValues, type ValueCounts } from "../../store/count-values.js";
import { type FieldValues, fieldValues } from "../../store/field-values.js";
import { recordsInIdRange } from "../../store/find-records.js";
import { type FoldedShapes, foldShapes } from "../../store/fold-shapes.js";
import { type FollowPage, type FollowRequest, followRecords } from "../../store/follow-records.js";
import { type Histogram, histogram } from "../../store/histogram.js";
import { type MeasuredRecords, type MeasureOf, measureRecords } from "../../store/measure-records.js";
import { type SearchPage, type SearchRequest, searchRecords } from "../../store/search.js";
import type { SearchScope } from "../../store/search-query.js";
import type { TermIndex } from "../../store/term-index.js";
import { type AnswersScan, scanAnswers } from "../../store/traffic/scan-answers.js";
import {
  type FlowScan,
  type HostAsked,
  type HostScan,
  type MarkingsScan,
  type PairsScan,
  type ScanAsked,
  scanFlows,
  scanHost,
  scanMarkings,
  scanPairs,
} from "../../store/traffic/scan-flows.js";
import { type MatrixOf, type ValueMatrix, valueMatrix } from "../../store/value-matrix.js";
import type { ValuesOf } from "../../store/values-of.js";
import { type WhyNothing, whyNothing } from "../../store/why-nothing.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";

/** What is asked of the store; senders and the index of terms are those of whoever answers. */
export type ScopeAsked = Omit<SearchScope, "directory" | "terms">;
export type PageAsked = Omit<SearchRequest, "directory" | "terms">;
export type HistogramAsked = ScopeAsked & { readonly widthUs: number };
export type ValuesAsked = ScopeAsked & { readonly of: ValuesOf; readonly top: number; readonly measure: Measure };
export type MatrixAsked = ScopeAsked & { readonly of: MatrixOf };
export type MeasureQuestion = ScopeAsked & { readonly of: MeasureOf };
export type CountsAsked = ScopeAsked & { readonly by: readonly CountedBy[] };
export type ShapesAsked = ScopeAsked & { readonly steps: readonly number[] };
export type FollowAsked = Omit<FollowRequest, "directory" | "terms">;
export type TrafficAsked = ScopeAsked & ScanAsked;
export type HostFlowsAsked = ScopeAsked & HostAsked;
export type AnswersAsked = ScopeAsked & { readonly stepUs: number };
export interface LiveAsked {
  readonly filter: Filter;
  readonly ids: readonly BatchIds[];
  readonly nowUs: number;
  /** Of each collector. */
  readonly most: number;
}

export interface RehearsalAsked {
  readonly rules: readonly Rule[];
  readonly window: { readonly fromUs: number; readonly toUs: number };
}

/** Questions of readers to the store, all plain data, so that any thread can answer them. */
export interface Questions {
  page(asked: PageAsked): Promise<SearchPage>;
  follow(asked: FollowAsked): Promise<FollowPage | null>;
  histogram(asked: HistogramAsked): Promise<Histogram>;
  values(asked: ValuesAsked): Promise<FieldValues>;
  matrix(asked: MatrixAsked): Promise<ValueMatrix>;
  /** What is told of the records by groups and steps. */
  measure(asked: MeasureQuestion): Promise<MeasuredRecords>;
  /** How many records have which values of several fields. */
  counts(asked: CountsAsked): Promise<ValueCounts>;
  /** The records by their message shapes. */
  shapes(asked: ShapesAsked): Promise<FoldedShapes>;
  whyNothing(asked: ScopeAsked): Promise<WhyNothing>;
  /** Sums of the flows a filter matches. */
  traffic(asked: TrafficAsked): Promise<FlowScan>;
  /** What the flows a filter matches tell of a host. */
  host(asked: HostFlowsAsked): Promise<HostScan>;
  /** Where markings are not carried on. */
  markings(asked: ScopeAsked): Promise<MarkingsScan>;
  /** How servers answered. */
  answers(asked: AnswersAsked): Promise<AnswersScan>;
  /** Who sent how much to whom. */
  pairs(asked: ScopeAsked): Promise<PairsScan>;
  /** Records stored under some ids, the newest first. */
  live(asked: LiveAsked): Promise<readonly HalvikRecord[]>;
}

/** Answers here, in the thread that asks. */
export function questions(db: Queryable, directory: DirectoryCache, terms: TermIndex): Questions {
  const scoped = async <T extends object>(asked: T) => ({ ...asked, directory: await directory.get(), terms });
  return {
    page: async (asked) => searchRecords(db, await scoped(asked)),
    follow: async (asked) => followRecords(db, await scoped(asked)),
    histogram: async ({ widthUs, ...asked }) => histogram(db, await scoped(asked), widthUs),
    values: async ({ of, top, measure, ...asked }) => fieldValues(db, await scoped(asked), of, top, measure),
    matrix: async ({ of, ...asked }) => valueMatrix(db, await scoped(asked), of),
    measure: async ({ of, ...asked }) => measureRecords(db, await scoped(asked), of),
    counts: async ({ by, ...asked }) => countValues(db, await scoped(asked), by),
    shapes: async ({ steps, ...asked }) => foldShapes(db, await scoped(asked), steps),
    whyNothing: async (asked) => whyNothing(db, await scoped(asked)),
    traffic: async ({ meters, summed, sites, ...asked }) =>
      scanFlows(db, await scoped(asked), { meters, summed, sites }),
    host: async ({ addresses, stepUs, ...asked }) => scanHost(db, await scoped(asked), { addresses, stepUs }),
    markings: async (asked) => scanMarkings(db, await scoped(asked)),
    pairs: async (asked) => scanPairs(db, await scoped(asked)),
    answers: async ({ stepUs, ...asked }) => scanAnswers(db, await scoped(asked), { stepUs }),
    live: async ({ filter, ids, nowUs, most }) => {
      const senders = await directory.get();
      const rows: HalvikRecord[] = [];
      for (const one of ids) rows.push(...(await recordsInIdRange(db, one, filter, senders, nowUs, most, "people")));
      return rows.filter(compileFilter(filter, { directory: senders, nowUs })).sort((x, y) => y.timeUs - x.timeUs);
    },
  };
}

/** A page is a moment's work; one that is not answered by then is not worth more. */
const MOST_MS = 20_000;

function questionsElsewhere(work: WorkPool): Questions {
  const ask =
    <A, T>(what: keyof Questions) =>
    (asked: A) =>
      work.run<T>(what, asked, MOST_MS);
  return {
    page: ask("page"),
    follow: ask("follow"),
    histogram: ask("histogram"),
    values: ask("values"),
    matrix: ask("matrix"),
    measure: ask("measure"),
    counts: ask("counts"),
    shapes: ask("shapes"),
    whyNothing: ask("whyNothing"),
    traffic: ask("traffic"),
    host: ask("host"),
    markings: ask("markings"),
    pairs: ask("pairs"),
    answers: ask("answers"),
    live: ask("live"),
  };
}

/**
 * Who answers a filter: patterns, whose cost goes by the text, in a thread that can be ended; measures and sums of traffic, which are made here and not by the
 * database, in threads of their own; all else here, where it is quickest.
 */
export function askedOf(here: Questions, work: WorkPool, scans: WorkPool): (filter: Filter) => Questions {
  const { measure, counts, shapes, traffic, host, markings, pairs, answers } = questionsElsewhere(scans);
  const sums = { measure, counts, shapes, traffic, host, markings, pairs, answers };
  const quick: Questions = { ...here, ...sums };
  const guarded: Questions = { ...questionsElsewhere(work), ...sums };
  return (filter) => (hasPatterns(filter) ? guarded : quick);
}

/** Who answers questions about a filter. */
export type Ask = (filter: Filter) => Questions;
