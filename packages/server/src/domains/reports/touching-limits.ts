import { isDeepStrictEqual } from "node:util";
import type { Measured, Touching } from "@halvik/contract/reports";
import { readFilter as filterInWords } from "@halvik/core/query/filter";
import { isOwn } from "@halvik/core/query/measure";
import type { Window } from "@halvik/core/report";
import type { KeptLimit } from "./kept-limits.js";
import { figureOf, limitLine, recordsOf } from "./limits.js";
import type { MeasureNeeds } from "./measured/way.js";

/** Of a part at most so many are told of, and measured for at most so long. */
const [MOST, BUDGET_MS] = [5, 3_000];

/**
 * Limits that guard what a part measures: the same figure of the same records, all together or by what the part tells them apart by, or of those of
 * one of its rows. Filters are the same where they read alike.
 */
export async function touchingLimits(
  needs: MeasureNeeds,
  measured: Measured,
  limits: readonly KeptLimit[],
  window: Window,
  nowUs: number,
): Promise<Touching[]> {
  const { asked } = measured;
  if (isOwn(asked)) return [];
  const sameFigure = limits.filter(({ rule }) => isDeepStrictEqual(figureOf(rule), asked.figure));
  if (sameFigure.length === 0) return [];
  const words = async (filter: string) => filterInWords(await needs.read(filter, window), String).toLowerCase();
  const whole = await words(measured.filter);
  const rows = new Set<string>();
  for (const { filter } of measured.rows) if (filter !== null) rows.add(await words(filter));
  const by = asked.by.map((g) => ("field" in g ? g.field : ""));
  const found: Touching[] = [];
  const started = performance.now();
  for (const { rule, crossedUs } of sameFigure) {
    const said = await words(recordsOf(rule));
    const isOfAll = said === whole && (rule.key.length === 0 || isDeepStrictEqual([...rule.key], by));
    if (!isOfAll && !(rule.key.length === 0 && rows.has(said))) continue;
    if (found.length === MOST) break;
    const line = await limitLine(needs, rule, crossedUs, nowUs, performance.now() - started < BUDGET_MS);
    const { rule: id, name, side, raiseAt, unit, everySeconds, key, value, near, why, tookMs } = line;
    found.push({ rule: id, name, side, raiseAt, unit, everySeconds, key, value, near, why, tookMs });
  }
  return found;
}
