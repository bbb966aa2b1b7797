import type { FieldName } from "@halvik/core/model/record";
import { type Comparison, type Filter, nearest } from "@halvik/core/query/filter";
import type { Queryable } from "../kernel/db/pool.js";
import { fieldValues } from "./field-values.js";
import { histogram } from "./histogram.js";
import { searchRecords } from "./search.js";
import type { SearchScope } from "./search-query.js";
import { hasValues } from "./values-of.js";

/** Why a filter finds nothing in a window. */
export interface WhyNothing {
  /** What each of its parts that must all hold finds by itself, and a value that exists and may have been meant. */
  readonly parts: readonly {
    readonly start: number;
    readonly end: number;
    readonly count: number;
    readonly exact: boolean;
    readonly near: { readonly value: string; readonly count: number } | null;
  }[];
  /** The whole filter's nearest matches outside the window. */
  readonly lastBeforeUs: number | null;
  readonly firstAfterUs: number | null;
}

const MOST_PARTS = 8;
const BUDGET_MS = 1_000;
const CANDIDATES = 500;

export async function whyNothing(db: Queryable, scope: SearchScope): Promise<WhyNothing> {
  const { filter } = scope;
  const budgeted = { ...scope, budgetMs: BUDGET_MS };
  const items = (filter.type === "and" ? filter.items : [filter]).slice(0, MOST_PARTS);
  const parts = [];
  for (const item of items) {
    if (item.type === "everything") continue;
    const { total, exact } = await histogram(db, { ...budgeted, filter: item }, scope.toUs - scope.fromUs);
    const near = total === 0 && exact ? await nearValue(db, budgeted, item) : null;
    parts.push({ start: item.span.start, end: item.span.end, count: total, exact, near });
  }
  const nearestMatch = async (window: { fromUs: number; toUs: number }, direction: "older" | "newer") =>
    (await searchRecords(db, { ...budgeted, ...window, limit: 1, cursor: null, direction })).records[0]?.timeUs ?? null;
  return {
    parts,
    lastBeforeUs: await nearestMatch({ fromUs: 0, toUs: scope.fromUs }, "older"),
    firstAfterUs: await nearestMatch({ fromUs: scope.toUs, toUs: Number.MAX_SAFE_INTEGER }, "newer"),
  };
}

/** The value in the store that is written most like one that is asked for. */
async function nearValue(
  db: Queryable,
  scope: SearchScope,
  item: Filter,
): Promise<{ value: string; count: number } | null> {
  if (item.type !== "compare" || item.negated || item.test.op !== "oneOf" || !isText(item)) return null;
  const of = item.field === "data" ? { data: item.dataName ?? "" } : { field: item.field as FieldName };
  const { values } = await fieldValues(db, { ...scope, filter: { type: "everything" } }, of, CANDIDATES);
  const found = nearest(
    item.test.values[0]!,
    values.map((v) => v.value),
  );
  const near = values.find((v) => v.value === found);
  return near === undefined ? null : { value: near.written ?? near.value, count: near.count };
}

const isText = (item: Comparison): boolean =>
  item.field === "data" || (item.field !== "sender" && hasValues(item.field));
