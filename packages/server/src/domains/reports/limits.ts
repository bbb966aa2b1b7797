import type { LimitLine } from "@halvik/contract/reports";
import { type EpochUs, formatUs } from "@halvik/core/base/time";
import { type Rule, sayRule } from "@halvik/core/detect";
import type { FieldName } from "@halvik/core/model/record";
import { bothOf } from "@halvik/core/query/filter";
import type { Figure } from "@halvik/core/query/measure";
import { courseOfLimit, nearness, pointsOf, unitOfFigure } from "@halvik/core/report";
import { toAppError } from "../../kernel/http/errors.js";
import type { MeasuredRecords, MeasureOf } from "../../store/measure-records.js";
import { hasValues } from "../../store/values-of.js";
import { labelOf } from "../records/label-of.js";
import type { MeasureNeeds } from "./measured/way.js";

/** A rule that guards a figure: an amount or a share, by a line or by what is usual for it. */
export type Limit = Extract<Rule, { kind: "departure" | "ratio" }>;

export const isLimit = (rule: Rule): rule is Limit => rule.kind === "departure" || rule.kind === "ratio";

interface Line {
  readonly side: "over" | "under";
  readonly raiseAt: number;
  readonly clearAt: number;
}

/** The line of a limit, in what its figure is counted in; null: it is judged by what is usual, which its rule has learnt. */
export function lineOf(rule: Limit): Line | null {
  if (rule.kind === "ratio")
    return { side: rule.side, raiseAt: HUNDRED * rule.raiseAt, clearAt: HUNDRED * rule.clearAt };
  return rule.judgement.by === "line" ? rule.judgement : null;
}

/** Shares are told in hundredths. */
const HUNDRED = 100;
const BUDGET_MS = 5_000;

/** Where the figure that a limit guards is now, and was over the last day. @param crossedUs when it was last crossed @param hasTime whether there is time left to measure it */
export async function limitLine(
  needs: MeasureNeeds,
  rule: Limit,
  crossedUs: number | null,
  nowUs: number,
  hasTime = true,
): Promise<LimitLine> {
  const started = performance.now();
  const { everySeconds } = rule;
  const { steps, stepSeconds, perPoint } = courseOfLimit(rule, nowUs);
  const guard = lineOf(rule);
  const side: LimitLine["side"] = guard?.side ?? "usual";
  const figure = figureOf(rule);
  const line = {
    rule: rule.id,
    name: rule.name,
    says: sayRule(rule),
    severity: rule.severity,
    enabled: rule.enabled,
    ...{ side, raiseAt: guard?.raiseAt ?? null, clearAt: guard?.clearAt ?? null, everySeconds },
    courseEverySeconds: stepSeconds,
    unit: figure === null ? "" : unitOfFigure({ figure, perSecond: false }),
    crossed: crossedUs === null ? null : formatUs(crossedUs),
  };
  const none = { key: [], value: null, near: null, course: [] };
  const why =
    figure === null
      ? "each value by itself, or the gaps between records: its rule knows"
      : hasTime
        ? whyNot(rule)
        : "there was no time left to measure it";
  if (figure === null || why !== null) return { ...line, ...none, tookMs: 0, why: why ?? "" };
  try {
    const { rows, complete } = await guarded(needs, rule, steps, perPoint, nowUs);
    const last = ({ course }: GuardedRow) => course[course.length - 1] ?? null;
    // the one that is nearest its line; of a share of too few nothing is said
    const worth = (row: GuardedRow) => {
      const value = last(row);
      return value === null ? Number.NEGATIVE_INFINITY : side === "under" ? -value : value;
    };
    const nearest = rows.reduce<GuardedRow | null>(
      (best, row) => (best === null || worth(row) > worth(best) ? row : best),
      null,
    );
    const value = nearest === null ? null : last(nearest);
    return {
      ...line,
      key: nearest === null ? [] : nearest.keys.map((k, i) => labelOf(rule.key[i]!, k, needs.senders)),
      value,
      near: guard === null ? null : nearness(value, guard.side, guard.raiseAt),
      course: nearest === null ? [] : [...nearest.course],
      tookMs: Math.round(performance.now() - started),
      why: !complete
        ? "at least: there was no time for all of it"
        : nearest === null
          ? "there was nothing of it"
          : value === null
            ? "too few records for a share"
            : guard === null
              ? "far from its own usual: its rule knows how far"
              : "",
    };
  } catch (e) {
    return { ...line, ...none, tookMs: Math.round(performance.now() - started), why: toAppError(e).message };
  }
}

/** What is told of the records of a stretch; null where it is none of the figures of reports. */
export function figureOf(rule: Limit): Figure | null {
  if (rule.kind === "ratio") return { of: "share", filter: rule.filter };
  const { measure } = rule;
  if (measure.of === "records") return { of: "records" };
  if (measure.of === "sum" && (measure.field === "bytes" || measure.field === "packets"))
    return { of: "sum", number: { field: measure.field } };
  return null;
}

/** What finds all records that a limit is of. */
export const recordsOf = (rule: Limit): string => (rule.kind === "ratio" ? rule.of : rule.filter);

const whyNot = ({ key }: Limit): string | null => {
  if (key.length > 2) return "by more than two keys: its rule knows";
  const odd = key.find((k) => !hasValues(k));
  return odd === undefined ? null : `by ${odd}, whose values are not counted: its rule knows`;
};

/** What a limit guards of one key. */
interface GuardedRow {
  readonly keys: readonly string[];
  readonly course: readonly (number | null)[];
}

async function guarded(
  needs: MeasureNeeds,
  rule: Limit,
  steps: readonly EpochUs[],
  perPoint: number,
  nowUs: EpochUs,
): Promise<{ readonly rows: readonly GuardedRow[]; readonly complete: boolean }> {
  const measure = async (text: string, figure: MeasureOf["figure"]) => {
    const window = { fromUs: steps[0]!, toUs: steps[steps.length - 1]! };
    const filter = await needs.read(text, window);
    const by = rule.key.map((field: FieldName) => ({ field }));
    const of = { figure, by, steps, zone: "UTC" };
    return needs.ask(filter).measure({ filter, ...window, nowUs, budgetMs: BUDGET_MS, of });
  };
  const ofKeys = ({ rows, total }: MeasuredRecords) => (rule.key.length === 0 ? [total] : rows);
  if (rule.kind !== "ratio") {
    const figure = figureOf(rule) as MeasureOf["figure"];
    const measured = await measure(rule.filter, figure);
    const rows = ofKeys(measured).map(({ keys, steps: of }) => ({ keys, course: pointsOf(of, perPoint) }));
    return { rows, complete: measured.complete };
  }
  const all = await measure(rule.of, { of: "records" });
  const part = await measure(bothOf(rule.of, rule.filter), { of: "records" });
  const parts = new Map(ofKeys(part).map((r) => [JSON.stringify(r.keys), pointsOf(r.steps, perPoint)]));
  const rows = ofKeys(all).map(({ keys, steps: of }) => {
    const some = parts.get(JSON.stringify(keys));
    const course = pointsOf(of, perPoint).map((n, i) => (n < rule.least ? null : (HUNDRED * (some?.[i] ?? 0)) / n));
    return { keys, course };
  });
  return { rows, complete: all.complete && part.complete };
}
