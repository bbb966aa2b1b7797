import type { EpochUs } from "../../base/time/index.js";
import type { Count } from "../../model/record/index.js";
import type { After, Comparison, Filter, Span } from "./ast.js";
import { parseFilter } from "./parse.js";
import { quoteIfNeeded } from "./values.js";

/** A record that something may follow: its moment, and its values of the field. */
export interface Anchor {
  readonly timeUs: EpochUs;
  readonly values: readonly string[];
}

/** Questions of what came after something, in the order in which they stand. */
export function aftersOf(filter: Filter): readonly After[] {
  switch (filter.type) {
    case "everything":
    case "compare":
      return [];
    case "and":
    case "or":
      return filter.items.flatMap(aftersOf);
    case "not":
      return aftersOf(filter.item);
    case "after":
      return [filter];
  }
}

/**
 * A filter with what its questions stand for in their places.
 * @param meant for each of `aftersOf`
 */
export function withoutAfters(filter: Filter, meant: ReadonlyMap<After, Filter>): Filter {
  switch (filter.type) {
    case "everything":
    case "compare":
      return filter;
    case "and":
    case "or":
      return { ...filter, items: filter.items.map((item) => withoutAfters(item, meant)) };
    case "not":
      return { ...filter, item: withoutAfters(filter.item, meant) };
    case "after":
      return meant.get(filter) ?? nothing(filter.span);
  }
}

/** What follows some records: for each value, the stretches of time after a record that has it. The record itself follows nothing but others. */
export function followers({ field, withinUs, span }: After, anchors: readonly Anchor[]): Filter {
  const byValue = new Map<string, EpochUs[]>();
  for (const { timeUs, values } of anchors)
    for (const value of new Set(values)) {
      const times = byValue.get(value);
      if (times) times.push(timeUs);
      else byValue.set(value, [timeUs]);
    }
  const items = [...byValue].map(([value, times]): Filter => {
    const time: Comparison = {
      type: "compare",
      field: "time",
      test: { op: "ranges", ranges: joined(times, withinUs) },
      negated: false,
      span,
    };
    return { type: "and", items: [same(field, value, span), time], span };
  });
  return items.length === 0 ? nothing(span) : items.length === 1 ? items[0]! : { type: "or", items, span };
}

const nothing = (span: Span): Filter => ({ type: "not", item: { type: "everything" }, span });

function same(field: string, value: string, span: Span): Filter {
  const parsed = parseFilter(`${field} is ${quoteIfNeeded(value)}`, { zone: "UTC" });
  if (!parsed.ok || parsed.filter.type === "everything") return nothing(span);
  return { ...parsed.filter, span };
}

/** Stretches after moments, both ends within, those that touch as one. */
function joined(times: readonly EpochUs[], withinUs: number): (readonly [Count, Count])[] {
  const out: [number, number][] = [];
  for (const us of [...times].sort((a, b) => a - b)) {
    const last = out[out.length - 1];
    if (last && us + 1 <= last[1] + 1) last[1] = us + withinUs;
    else out.push([us + 1, us + withinUs]);
  }
  return out;
}

/** How many stretches a filter of followers has: what it costs to look for them. */
export const stretchesOf = (filter: Filter): number => {
  switch (filter.type) {
    case "and":
    case "or":
      return filter.items.reduce((sum, item) => sum + stretchesOf(item), 0);
    case "compare":
      return filter.test.op === "ranges" && filter.field === "time" ? filter.test.ranges.length : 0;
    default:
      return 0;
  }
};
