import type { LimitLine } from "@halvik/contract/reports";
import { formatUs, US_PER_SECOND } from "@halvik/core/base/time";
import { type Rule, sayRule } from "@halvik/core/detect";
import { countToJson } from "@halvik/core/model/record";
import type { MeasuredRow } from "@halvik/core/query/measure";
import { nearness, unitOfFigure } from "@halvik/core/report";
import { toAppError } from "../../kernel/http/errors.js";
import type { MeasureOf } from "../../store/measure-records.js";
import { hasValues } from "../../store/values-of.js";
import { labelOf } from "../records/label-of.js";
import type { MeasureNeeds } from "./measured-part.js";

/** A rule that guards a figure: by a line, or by what is usual for it. */
export type Limit = Extract<Rule, { kind: "departure" }>;

export const isLimit = (rule: Rule): rule is Limit => rule.kind === "departure";

/** The line of a limit; null: it is judged by what is usual, which its rule has learnt. */
export const lineOf = ({ judgement }: Limit) => (judgement.by === "line" ? judgement : null);

const DAY_US = 86_400 * US_PER_SECOND;
const MOST_STRETCHES = 96;
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
    const measured = await overLastDay(needs, rule, figure, nowUs);
    const last = (row: MeasuredRow) => Number(row.steps[row.steps.length - 1] ?? 0);
    const rows = rule.key.length === 0 ? [measured.total] : measured.rows;
    const nearest = rows.reduce<MeasuredRow | null>(
      (best, row) =>
        best === null || (side === "under" ? last(row) < last(best) : last(row) > last(best)) ? row : best,
      null,
    );
    const value = nearest === null ? null : last(nearest);
    return {
      ...line,
      key: nearest === null ? [] : nearest.keys.map((k, i) => labelOf(rule.key[i]!, k, needs.senders)),
      value,
      near: guard === null ? null : nearness(value, guard.side, guard.raiseAt),
      course: nearest === null ? [] : nearest.steps.map((v) => countToJson(v ?? 0)),
      tookMs: Math.round(performance.now() - started),
      why: !measured.complete
        ? "at least: there was no time for all of it"
        : nearest === null
          ? "there was nothing of it"
          : guard === null
            ? "far from its own usual: its rule knows how far"
            : "",
    };
  } catch (e) {
    return { ...line, ...none, tookMs: Math.round(performance.now() - started), why: toAppError(e).message };
  }
}

/** What is told of the records of a stretch; null where it is none of the figures of reports. */
export function figureOf({ measure }: Limit): MeasureOf["figure"] | null {
  if (measure.of === "records") return { of: "records" };
  if (measure.of === "sum" && (measure.field === "bytes" || measure.field === "packets"))
    return { of: "sum", number: { field: measure.field } };
  return null;
}

const whyNot = ({ key }: Limit): string | null => {
  if (key.length > 2) return "by more than two keys: its rule knows";
  const odd = key.find((k) => !hasValues(k));
  return odd === undefined ? null : `by ${odd}, whose values are not counted: its rule knows`;
};

/** Stretches of the rule's own length, whole ones, up to the last that is over. */
async function overLastDay(needs: MeasureNeeds, rule: Limit, figure: MeasureOf["figure"], nowUs: number) {
  const everyUs = rule.everySeconds * US_PER_SECOND;
  const count = Math.max(1, Math.min(MOST_STRETCHES, Math.floor(DAY_US / everyUs)));
  const toUs = Math.floor(nowUs / everyUs) * everyUs;
  const steps = Array.from({ length: count + 1 }, (_, i) => toUs - (count - i) * everyUs);
  const window = { fromUs: steps[0]!, toUs };
  const filter = await needs.read(rule.filter, window);
  return needs.ask(filter).measure({
    filter,
    ...window,
    nowUs,
    budgetMs: BUDGET_MS,
    of: { figure, by: rule.key.map((field) => ({ field })), steps, zone: "UTC" },
  });
}
