import type { Measured } from "@halvik/contract/reports";
import { type EpochUs, formatUs, formatZoned, type Step, stepsOf, US_PER_SECOND } from "@halvik/core/base/time";
import { type Count, countToJson, type FieldName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, readFilter as filterInWords, quoteIfNeeded } from "@halvik/core/query/filter";
import {
  addsUp,
  type Figure,
  type Grouping,
  type MeasureAsked,
  type MeasuredRow,
  ranked,
} from "@halvik/core/query/measure";
import { sayGrouping, sayMeasure, unitOf, type Window } from "@halvik/core/report";
import { AppError } from "../../kernel/http/errors.js";
import type { MeasuredRecords, MeasureOf } from "../../store/measure-records.js";
import { hasValues } from "../../store/values-of.js";
import { labelOf } from "../records/label-of.js";
import type { Ask } from "../records/questions.js";

/** What a measure is asked over. */
export interface MeasureScope {
  readonly window: Window;
  /** The period before, where it is to be compared. */
  readonly before: Window | null;
  readonly zone: string;
  readonly step: Step | null;
  readonly nowUs: EpochUs;
  readonly budgetMs: number;
}

/** What measuring works with. */
export interface MeasureNeeds {
  readonly ask: Ask;
  readonly senders: SenderDirectory;
  /** Reads a filter as who asks may write it. */
  readonly read: (text: string, window: Window) => Promise<Filter>;
}

const MOST_STEPS = 800;
const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

/** Both of two filters; one that says nothing is left out. */
export const both = (a: string, b: string): string => (a.trim() === "" ? b : b.trim() === "" ? a : `(${a}) and (${b})`);

/** @throws {AppError} where a field has no values that can be counted, or a filter is none */
export async function measuredPart(
  needs: MeasureNeeds,
  asked: MeasureAsked,
  filter: string,
  scope: MeasureScope,
): Promise<Measured> {
  checkFields(asked);
  const { window, before, zone, step } = scope;
  const now = await measureIn(needs, asked, filter, window, scope);
  const then = before === null ? null : await measureIn(needs, asked, filter, before, scope);
  const { rows, others } = ranked({ rows: now.rows, total: now.total, full: now.full }, asked);
  const rates = asked.perSecond ? perSecond(asked.figure) : null;
  const of = (value: Count | null, seconds: number) =>
    json(rates === null || value === null ? value : rates(value, seconds));
  const seconds = secondsOf(window);
  const stepSeconds = now.steps.slice(1).map((at, i) => (at - now.steps[i]!) / US_PER_SECOND);
  const thenByKeys = new Map(then?.rows.map((r) => [JSON.stringify(r.keys), r.value]) ?? []);
  const written = (row: MeasuredRow, old: Count | null | undefined, text: string | null) => ({
    labels: row.keys.map((key, i) => labelOfKey(asked.by[i]!, key, needs.senders)),
    value: of(row.value, seconds),
    ...(old === undefined || before === null ? {} : { before: of(old, secondsOf(before)) }),
    records: row.records,
    exact: row.exact,
    steps: row.steps.map((v, i) => of(v, stepSeconds[i]!)),
    filter: text,
  });
  return {
    asked,
    says: sayMeasure(asked),
    unit: unitOf(asked),
    headings: asked.by.map(sayGrouping),
    rows: rows.map((row) =>
      written(
        row,
        // what was not there before brought nothing
        then === null ? undefined : (thenByKeys.get(JSON.stringify(row.keys)) ?? (addsUp(asked.figure) ? 0 : null)),
        filterOfRow(filter, asked.by, row.keys, needs.senders),
      ),
    ),
    total: written(now.total, then?.total.value, filter),
    others,
    addsUp: addsUp(asked.figure),
    steps: step === null ? [] : now.steps.map(formatUs),
    stepsBefore:
      then === null || before === null
        ? []
        : then.total.steps.map((v, i) => of(v, (then.steps[i + 1]! - then.steps[i]!) / US_PER_SECOND)),
    complete: now.complete && !now.full && (then === null || (then.complete && !then.full)),
    coveredFrom: formatUs(now.coveredFromUs),
    source: now.source,
    filter,
    reading: filterInWords(await needs.read(filter, window), (us) => formatZoned(us, zone)),
  };
}

type MeasuredIn = MeasuredRecords & { readonly steps: readonly EpochUs[] };

async function measureIn(
  needs: MeasureNeeds,
  { figure, by }: MeasureAsked,
  text: string,
  window: Window,
  { zone, step, nowUs, budgetMs }: MeasureScope,
): Promise<MeasuredIn> {
  const steps = step === null ? null : stepsWithin(window, step, zone);
  const measure = async (filterText: string, of: MeasureOf["figure"]) => {
    const filter = await needs.read(filterText, window);
    return needs.ask(filter).measure({ filter, ...window, nowUs, budgetMs, of: { figure: of, by, steps, zone } });
  };
  const kept = steps ?? [window.fromUs, window.toUs];
  if (figure.of !== "share") return { ...(await measure(text, figure)), steps: kept };
  const all = await measure(text, { of: "records" });
  const some = await measure(both(text, figure.filter), { of: "records" });
  const byKeys = new Map(some.rows.map((r) => [JSON.stringify(r.keys), r]));
  const share = (row: MeasuredRow, part: MeasuredRow | undefined): MeasuredRow => ({
    ...row,
    value: percent(part?.value ?? 0, row.value),
    steps: row.steps.map((v, i) => percent(part?.steps[i] ?? 0, v)),
  });
  return {
    ...all,
    rows: all.rows.map((r) => share(r, byKeys.get(JSON.stringify(r.keys)))),
    total: share(all.total, some.total),
    complete: all.complete && some.complete,
    coveredFromUs: Math.max(all.coveredFromUs, some.coveredFromUs),
    steps: kept,
  };
}

const percent = (part: Count, all: Count | null): number | null =>
  all === null || Number(all) === 0 ? null : (100 * Number(part)) / Number(all);

function stepsWithin({ fromUs, toUs }: Window, step: Step, zone: string): EpochUs[] {
  try {
    return stepsOf(fromUs, toUs, step, zone, MOST_STEPS);
  } catch (e) {
    throw new AppError("BAD_REQUEST", `step: ${(e as Error).message} in the period; choose a longer one`, {
      field: "step",
    });
  }
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

/** By the second: octets are told in bits. */
function perSecond(figure: Figure): ((value: Count, seconds: number) => number) | null {
  if (!addsUp(figure)) return null;
  const factor = "number" in figure && "field" in figure.number && figure.number.field === "bytes" ? 8 : 1;
  return (value, seconds) => (Number(value) * factor) / seconds;
}

function checkFields({ figure, by }: MeasureAsked): void {
  const fields = by.flatMap((g) => ("field" in g ? [g.field] : []));
  if (figure.of === "distinct" && "field" in figure.values) fields.push(figure.values.field);
  for (const field of fields)
    if (!hasValues(field))
      throw new AppError("BAD_REQUEST", `by: expected a field whose values are counted, got “${field}”`, {
        field: "by",
      });
}

function labelOfKey(by: Grouping, key: string, senders: SenderDirectory): string {
  if ("clock" in by) return by.clock === "day of week" ? DAYS[Number(key)]! : `${key}:00`;
  return "field" in by ? labelOf(by.field, key, senders) : key;
}

/** What finds the records of a row; null where it is told apart by a clock, which no filter names. */
function filterOfRow(
  filter: string,
  by: readonly Grouping[],
  keys: readonly string[],
  senders: SenderDirectory,
): string | null {
  const parts: string[] = [];
  for (const [i, g] of by.entries()) {
    const key = keys[i]!;
    if ("clock" in g) return null;
    if ("sender" in g) parts.push(`sender in ${g.sender} ${quoteIfNeeded(key)}`);
    else if ("data" in g) parts.push(`data ${quoteIfNeeded(g.data)} is ${quoteIfNeeded(key)}`);
    else parts.push(`${g.field as FieldName} is ${quoteIfNeeded(labelOf(g.field, key, senders))}`);
  }
  return parts.reduce(both, filter);
}

const secondsOf = ({ fromUs, toUs }: Window): number => (toUs - fromUs) / US_PER_SECOND;
const json = (count: Count | null): number | string | null => countToJson(count);
