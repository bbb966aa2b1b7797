import type { Measured } from "@halvik/contract/reports";
import { type EpochUs, formatUs, formatZoned, type Step, stepsOf, US_PER_SECOND } from "@halvik/core/base/time";
import { type Count, countToJson, type FieldName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { bothOf, type Filter, readFilter as filterInWords, quoteIfNeeded } from "@halvik/core/query/filter";
import {
  type AnyMeasure,
  addsUp,
  CLOCKS,
  type Clock,
  type Figure,
  type Grouping,
  isOwn,
  type MeasureAsked,
  type MeasuredRow,
  type OwnMeasure,
  ownAddsUp,
  ownSource,
  ranked,
} from "@halvik/core/query/measure";
import { headingsOf, sayMeasure, sayOnly, unitOf, type Window } from "@halvik/core/report";
import type { Queryable } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import type { MeasuredRecords, MeasureOf } from "../../store/measure-records.js";
import { hasValues } from "../../store/values-of.js";
import { labelOf } from "../records/label-of.js";
import type { Ask } from "../records/questions.js";
import { measureOwn } from "./own-sources-repository.js";

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
  readonly db: Queryable;
  readonly ask: Ask;
  readonly senders: SenderDirectory;
  /** When the first record there is happened; null: there is none. */
  readonly firstUs: () => Promise<EpochUs | null>;
  /** Reads a filter as who asks may write it. */
  readonly read: (text: string, window: Window) => Promise<Filter>;
}

const MOST_STEPS = 800;
const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

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
  const way = isOwn(asked) ? ownWay(needs, asked, scope) : await recordsWay(needs, asked, filter, scope);
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
    reading: way.reading,
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

/** What of a measure was estimated, and in which rows; the total has no keys. */
interface Estimate {
  readonly value: Count | null;
  readonly keys: ReadonlySet<string>;
}

/** How one kind of measure is made and told. */
interface Way extends Pick<MeasureAsked, "order" | "top"> {
  /** What of it was estimated from samples; null: nothing. */
  readonly estimatedIn: (window: Window) => Promise<Estimate | null>;
  readonly by: MeasureAsked["by"];
  readonly measure: (window: Window) => Promise<MeasuredIn>;
  readonly rates: ((value: Count, seconds: number) => number) | null;
  readonly labelOf: (grouping: number, key: string) => string;
  /** What finds the records of a row; null: no filter does. */
  readonly filterOf: (keys: readonly string[]) => string | null;
  readonly filter: string | null;
  readonly reading: string;
  readonly addsUp: boolean;
  readonly isOfNow: boolean;
}

async function recordsWay(needs: MeasureNeeds, asked: MeasureAsked, filter: string, scope: MeasureScope): Promise<Way> {
  checkFields(asked);
  return {
    ...asked,
    measure: (window) => measureIn(needs, asked, filter, window, scope),
    estimatedIn: (window) => estimatedIn(needs, asked, filter, window, scope),
    rates: asked.perSecond ? perSecond(asked.figure) : null,
    labelOf: (i, key) => labelOfKey(asked.by[i]!, key, needs.senders),
    filterOf: (keys) => filterOfRow(filter, asked.by, keys, needs.senders),
    filter,
    reading: filterInWords(await needs.read(filter, scope.window), (us) => formatZoned(us, scope.zone)),
    addsUp: addsUp(asked.figure),
    isOfNow: false,
  };
}

function ownWay({ db }: MeasureNeeds, asked: OwnMeasure, { step, zone, nowUs }: MeasureScope): Way {
  const isOfNow = ownSource(asked.source).isOfNow ?? false;
  const clocks = asked.by.map((name) => CLOCKS.find((c) => c === name) ?? null);
  return {
    ...asked,
    // an order by the clock is that of the clock
    by: asked.by.map((name, i) => (clocks[i] === null ? { data: name } : { clock: clocks[i]! })),
    estimatedIn: async () => null,
    measure: async (window) => {
      const steps = step === null || isOfNow ? null : stepsWithin(window, step, zone);
      const { rows, total } = await measureOwn(db, asked, window, steps, zone, nowUs);
      const kept = steps ?? [window.fromUs, window.toUs];
      return { rows, total, full: false, complete: true, coveredFromUs: window.fromUs, source: "own", steps: kept };
    },
    rates: null,
    labelOf: (i, key) => (clocks[i] === null ? key : labelOfClock(clocks[i]!, key)),
    filterOf: () => null,
    filter: null,
    reading: `${asked.source}${asked.only.length === 0 ? "" : ` with ${sayOnly(asked.only)}`}${isOfNow ? ", as it is now" : ""}`,
    addsUp: ownAddsUp(asked),
    isOfNow,
  };
}

type MeasuredIn = Omit<MeasuredRecords, "source" | "searched"> & {
  readonly source: Measured["source"];
  readonly steps: readonly EpochUs[];
};

/** Numbers of flows that an exporter sampled are the counts times its rate: records that carry such ones are marked. */
const ESTIMATED = "mark is estimated";

async function estimatedIn(
  needs: MeasureNeeds,
  { figure, by }: MeasureAsked,
  text: string,
  window: Window,
  { zone, nowUs, budgetMs }: MeasureScope,
): Promise<Estimate | null> {
  if (!("number" in figure) || !("field" in figure.number)) return null;
  const filter = await needs.read(bothOf(text, ESTIMATED), window);
  const of = { figure, by, steps: null, zone };
  const { rows, total } = await needs.ask(filter).measure({ filter, ...window, nowUs, budgetMs, of });
  if (total.records === 0) return null;
  // parts of a sum say how much of it; of other figures only that there are some
  const value = figure.of === "sum" ? total.value : null;
  return { value, keys: new Set(["[]", ...rows.map((r) => JSON.stringify(r.keys))]) };
}

/** What is counted of records, whatever is made of it. */
type Counting = (
  filter: string,
  of: MeasureOf["figure"],
  by: MeasureOf["by"],
  within?: Window,
) => Promise<MeasuredRecords>;

async function measureIn(
  needs: MeasureNeeds,
  { figure, by }: MeasureAsked,
  text: string,
  window: Window,
  { zone, step, nowUs, budgetMs }: MeasureScope,
): Promise<MeasuredIn> {
  const steps = step === null ? null : stepsWithin(window, step, zone);
  const measure: Counting = async (filterText, of, groupings, within) => {
    const filter = await needs.read(filterText, within ?? window);
    const over = { figure: of, by: groupings, steps: within === undefined ? steps : null, zone };
    return needs.ask(filter).measure({ filter, ...(within ?? window), nowUs, budgetMs, of: over });
  };
  const kept = steps ?? [window.fromUs, window.toUs];
  switch (figure.of) {
    case "share":
      return { ...(await sharedOf(measure, text, by, figure.filter, "", percent)), steps: kept };
    case "ratio":
      return { ...(await sharedOf(measure, text, by, figure.filter, figure.to, ratio)), steps: kept };
    case "first seen":
      return { ...(await firstSeen(measure, needs, text, by, figure.values, window)), steps: kept };
    default:
      return { ...(await measure(text, figure, by)), steps: kept };
  }
}

/** How many of the records match one filter, held against how many match another. @param told what is said of the two */
async function sharedOf(
  measure: Counting,
  text: string,
  by: MeasureOf["by"],
  part: string,
  whole: string,
  told: (part: Count, whole: Count | null) => number | null,
): Promise<MeasuredRecords> {
  const all = await measure(bothOf(text, whole), { of: "records" }, by);
  const some = await measure(bothOf(text, part), { of: "records" }, by);
  const byKeys = new Map(some.rows.map((r) => [JSON.stringify(r.keys), r]));
  const share = (row: MeasuredRow, of: MeasuredRow | undefined): MeasuredRow => ({
    ...row,
    value: told(of?.value ?? 0, row.value),
    steps: row.steps.map((v, i) => told(of?.steps[i] ?? 0, v)),
  });
  return {
    ...all,
    rows: all.rows.map((r) => share(r, byKeys.get(JSON.stringify(r.keys)))),
    total: share(all.total, some.total),
    full: all.full || some.full,
    complete: all.complete && some.complete,
    coveredFromUs: Math.max(all.coveredFromUs, some.coveredFromUs),
  };
}

/** Values that no record before the window has, of those that match and are kept: each in the step in which it came first. */
async function firstSeen(
  measure: Counting,
  { firstUs }: MeasureNeeds,
  text: string,
  by: MeasureOf["by"],
  values: MeasureOf["by"][number],
  { fromUs }: Window,
): Promise<MeasuredRecords> {
  const oldestUs = Math.min(fromUs, (await firstUs()) ?? fromUs);
  const now = await measure(text, { of: "records" }, [...by, values]);
  const then =
    oldestUs < fromUs ? await measure(text, { of: "records" }, [values], { fromUs: oldestUs, toUs: fromUs }) : null;
  const seen = new Set(then?.rows.map((r) => r.keys[0]!));
  const stepCount = now.total.steps.length;
  /** Rows of values, counted where they are new. */
  const counted = (rows: readonly MeasuredRow[], keys: readonly string[]): MeasuredRow => {
    const steps = new Array<number>(stepCount).fill(0);
    const firstIn = new Map<string, number>();
    let records = 0;
    for (const row of rows) {
      const value = row.keys[row.keys.length - 1]!;
      if (seen.has(value)) continue;
      records += row.records;
      const step = row.steps.findIndex((n) => n !== null && Number(n) > 0);
      firstIn.set(value, Math.min(step, firstIn.get(value) ?? Number.POSITIVE_INFINITY));
    }
    for (const step of firstIn.values()) if (step >= 0 && step < stepCount) steps[step]!++;
    return { keys, value: firstIn.size, records, exact: true, steps };
  };
  const groups = new Map<string, MeasuredRow[]>();
  for (const row of now.rows) {
    const key = JSON.stringify(row.keys.slice(0, -1));
    const rows = groups.get(key);
    if (rows === undefined) groups.set(key, [row]);
    else rows.push(row);
  }
  return {
    ...now,
    rows: by.length === 0 ? [] : [...groups].map(([key, rows]) => counted(rows, JSON.parse(key) as string[])),
    total: counted(now.rows, []),
    full: now.full || (then?.full ?? false),
    complete: now.complete && (then?.complete ?? true),
  };
}

const ratio = (part: Count, all: Count | null): number | null =>
  all === null || Number(all) === 0 ? null : Number(part) / Number(all);
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
  if ("values" in figure && "field" in figure.values) fields.push(figure.values.field);
  if (figure.of === "first seen" && by.length > 1)
    throw new AppError("BAD_REQUEST", "by: what is seen for the first time is told apart by one thing at most", {
      field: "by",
    });
  for (const field of fields)
    if (!hasValues(field))
      throw new AppError("BAD_REQUEST", `by: expected a field whose values are counted, got “${field}”`, {
        field: "by",
      });
}

const labelOfClock = (clock: Clock, key: string): string =>
  clock === "day of week" ? DAYS[Number(key)]! : `${key}:00`;

function labelOfKey(by: Grouping, key: string, senders: SenderDirectory): string {
  if ("clock" in by) return labelOfClock(by.clock, key);
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
  return parts.reduce(bothOf, filter);
}

const secondsOf = ({ fromUs, toUs }: Window): number => (toUs - fromUs) / US_PER_SECOND;
const json = (count: Count | null): number | string | null => countToJson(count);
