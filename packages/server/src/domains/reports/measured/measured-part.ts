import type { Measured } from "@halvik/contract/reports";
import { formatUs, type Step, US_PER_SECOND } from "@halvik/core/base/time";
import { type Count, countToJson } from "@halvik/core/model/record";
import { type AnyMeasure, isOwn, type MeasuredRow, ranked } from "@halvik/core/query/measure";
import { headingsOf, sayMeasure, unitOf, type Window } from "@halvik/core/report";
import { isOfTables } from "./own-sources-repository.js";
import { ownWay } from "./own-way.js";
import { recordsWay } from "./records-way.js";
import { trafficWay } from "./traffic-way.js";
import { type MeasuredIn, type MeasureNeeds, type MeasureScope, percent, type Way } from "./way.js";

/**
 * What a measure tells over a window, beside the one before.
 * @throws {AppError} where a field has no values that can be counted, or a filter is none
 */
export async function measuredPart(
  needs: MeasureNeeds,
  asked: AnyMeasure,
  filter: string,
  scope: MeasureScope,
): Promise<Measured> {
  const way = await wayOf(needs, asked, filter, scope);
  const { window } = scope;
  // what tells of this moment has no before, and no course
  const before = way.isOfNow ? null : scope.before;
  const now = await way.measure(window);
  const then = before === null ? null : await way.measure(before);
  const estimate = await way.estimatedIn(window);
  const thenByKeys = new Map(then?.rows.map((r) => [JSON.stringify(r.keys), r]) ?? []);
  // what was not there before brought nothing
  const wasBefore = ({ keys }: MeasuredRow) => thenByKeys.get(JSON.stringify(keys))?.value ?? (way.addsUp ? 0 : null);
  const { rows, others } = ranked(withGone(now, then, way), way, then === null ? null : wasBefore);
  const of = (value: Count | null, seconds: number) =>
    json(way.rates === null || value === null ? value : way.rates(value, seconds));
  const seconds = secondsOf(window);
  const stepSeconds = now.steps.slice(1).map((at, i) => (at - now.steps[i]!) / US_PER_SECOND);
  const written = (row: MeasuredRow, old: Count | null | undefined, text: string | null) => ({
    labels: row.keys.map((key, i) => way.labelOf(i, key)),
    value: of(row.value, seconds),
    ...(old === undefined || before === null ? {} : { before: of(old, secondsOf(before)) }),
    records: row.records,
    exact: row.exact && !(estimate?.keys.has(JSON.stringify(row.keys)) ?? false),
    steps: row.steps.map((v, i) => of(v, stepSeconds[i]!)),
    filter: text,
  });
  return {
    asked,
    says: sayMeasure(asked),
    unit: unitOf(asked),
    headings: headingsOf(asked),
    rows: rows.map((row) => written(row, then === null ? undefined : wasBefore(row), way.filterOf(row.keys))),
    total: written(now.total, then?.total.value, way.filter),
    others,
    addsUp: way.addsUp,
    steps: scope.step === null || way.isOfNow ? [] : now.steps.map(formatUs),
    stepsBefore:
      then === null || before === null
        ? []
        : then.total.steps.map((v, i) => of(v, (then.steps[i + 1]! - then.steps[i]!) / US_PER_SECOND)),
    complete: now.complete && !now.full && (then === null || (then.complete && !then.full)),
    coveredFrom: formatUs(now.coveredFromUs),
    source: now.source,
    filter: way.filter ?? "",
    reading: way.reading(),
    gaps: [],
    limits: [],
    estimated: estimate === null ? null : percent(estimate.value ?? 0, now.total.value),
  };
}

/** Where what changed comes first, what is gone is a row too: there is none of it now. */
function withGone(now: MeasuredIn, then: MeasuredIn | null, { order, addsUp }: Way) {
  const { rows, total, full } = now;
  if (order !== "changed" || then === null) return { rows, total, full };
  const there = new Set(rows.map((r) => JSON.stringify(r.keys)));
  const gone = then.rows
    .filter((r) => !there.has(JSON.stringify(r.keys)))
    .map((r) => ({ ...r, value: addsUp ? 0 : null, records: 0, steps: total.steps.map(() => null) }));
  return { rows: [...rows, ...gone], total, full };
}

async function wayOf(needs: MeasureNeeds, asked: AnyMeasure, filter: string, scope: MeasureScope): Promise<Way> {
  if (!isOwn(asked)) return recordsWay(needs, asked, filter, scope);
  return isOfTables(asked) ? ownWay(needs, asked, scope) : trafficWay(needs, asked, scope);
}

/** Steps for a course of a few dozen points. */
export function fittingStep({ fromUs, toUs }: Window): Step {
  const days = (toUs - fromUs) / (86_400 * US_PER_SECOND);
  if (days <= 0.09) return "minute";
  if (days <= 0.3) return "5 minutes";
  if (days <= 1.1) return "15 minutes";
  if (days <= 3.1) return "hour";
  if (days <= 14.1) return "6 hours";
  if (days <= 93) return "day";
  return days <= 400 ? "week" : "month";
}

const secondsOf = ({ fromUs, toUs }: Window): number => (toUs - fromUs) / US_PER_SECOND;
const json = (count: Count | null): number | string | null => countToJson(count);
