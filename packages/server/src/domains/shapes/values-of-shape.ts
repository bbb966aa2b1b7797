import type { ShapeValues } from "@halvik/contract/shapes";
import type { EpochUs } from "@halvik/core/base/time";
import type { HalvikRecord } from "@halvik/core/model/record";
import { type Filter, quoteIfNeeded } from "@halvik/core/query/filter";
import { shapeValues, valuesOf } from "@halvik/core/shapes";
import type { Window } from "../../kernel/http/window.js";
import type { PageKey } from "../../store/search.js";
import type { ShapeFacts } from "../../store/shapes.js";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";

/** So many of the newest records are read for their values. */
const MOST_READ = 5_000;
const READ_AT_ONCE = 1_000;
const BUDGET_MS = 3_000;
/** Values told of each place. */
const TOP = 10;
const SHOWN = 200;

/** The values that records of a shape have, place by place. */
export async function valuesOfShape(
  ask: Ask,
  facts: ShapeFacts,
  filter: Filter,
  window: Window,
  nowUs: EpochUs,
): Promise<ShapeValues> {
  const both: Filter = { type: "and", items: [filter, ownFilter(`shape is ${facts.id}`)], span: { start: 0, end: 0 } };
  const started = performance.now();
  const records: HalvikRecord[] = [];
  let cursor: PageKey | null = null;
  do {
    const page = await ask(both).page({
      filter: both,
      ...window,
      nowUs,
      budgetMs: BUDGET_MS - (performance.now() - started),
      limit: READ_AT_ONCE,
      cursor,
      direction: "older",
    });
    records.push(...page.records);
    cursor = page.next;
  } while (cursor !== null && records.length < MOST_READ && performance.now() - started < BUDGET_MS);
  const values = shapeValues(
    records.map((r) => valuesOf(facts, r)),
    TOP,
  );
  return {
    values: values.map(({ range, top, ...v }) => ({
      ...v,
      ...(range === null ? {} : { range }),
      top: top.map(({ value, count }) => ({
        value: value.length > SHOWN ? `${value.slice(0, SHOWN)}…` : value,
        count,
        ...(value.length > SHOWN ? {} : { filter: `shape is ${facts.id} and $${v.number} is ${quoted(value)}` }),
      })),
    })),
    records: records.length,
    complete: cursor === null,
  };
}

const quoted = (text: string): string =>
  /^[\w.:-]+$/.test(text) ? quoteIfNeeded(text) : `"${text.replace(/["\\]/g, "\\$&")}"`;
