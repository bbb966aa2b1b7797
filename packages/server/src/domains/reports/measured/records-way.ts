import { formatZoned } from "@halvik/core/base/time";
import type { Count, FieldName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { bothOf, readFilter as filterInWords, quoteIfNeeded } from "@halvik/core/query/filter";
import { addsUp, type Grouping, type MeasureAsked, type MeasuredRow } from "@halvik/core/query/measure";
import { unitOf, type Window } from "@halvik/core/report";
import { AppError } from "../../../kernel/http/errors.js";
import type { MeasuredRecords, MeasureOf } from "../../../store/measure-records.js";
import { hasValues } from "../../../store/values-of.js";
import { labelOf } from "../../records/label-of.js";
import {
  bySecond,
  type Estimate,
  labelOfClock,
  type MeasuredIn,
  type MeasureNeeds,
  type MeasureScope,
  percent,
  stepsWithin,
  type Way,
} from "./way.js";

/** What is told of records. */
export async function recordsWay(
  needs: MeasureNeeds,
  asked: MeasureAsked,
  filter: string,
  scope: MeasureScope,
): Promise<Way> {
  checkFields(asked);
  const reading = filterInWords(await needs.read(filter, scope.window), (us) => formatZoned(us, scope.zone));
  return {
    ...asked,
    measure: (window) => measureIn(needs, asked, filter, window, scope),
    estimatedIn: (window) => estimatedIn(needs, asked, filter, window, scope),
    rates: asked.perSecond ? bySecond(unitOf({ ...asked, unit: undefined, perSecond: false })) : null,
    labelOf: (i, key) => labelOfKey(asked.by[i]!, key, needs.senders),
    filterOf: (keys) => filterOfRow(filter, asked.by, keys, needs.senders),
    filter,
    reading: () => reading,
    addsUp: addsUp(asked.figure),
    isOfNow: false,
  };
}

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

function checkFields({ figure, by }: MeasureAsked): void {
  const fields = by.flatMap((g) => ("field" in g ? [g.field] : []));
  if ("values" in figure && "field" in figure.values) fields.push(figure.values.field);
  if (figure.of === "first seen" && by.length > 1)
    throw new AppError("BAD_REQUEST", "by: what is seen for the first time is grouped by one field at most", {
      field: "by",
    });
  for (const field of fields)
    if (!hasValues(field))
      throw new AppError("BAD_REQUEST", `by: expected a field whose values are counted, got “${field}”`, {
        field: "by",
      });
}

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
