import type { LimitLine } from "@halvik/contract/reports";
import type { Actor } from "../../kernel/actor.js";
import { keptLimits } from "./kept-limits.js";
import { limitLine, lineOf } from "./limits.js";
import { partNeeds, type ReportNeeds } from "./make-report.js";

const BUDGET_MS = 15_000;
/** Within which limits are measured; those after it say that there was no time. */
const ALL_MS = 20_000;

/**
 * Limits and where their figures are, one after another: a page of them asks no more of the store than somebody who searches.
 * @param which all of them, or those by a line alone
 */
export async function limitLines(
  needs: ReportNeeds,
  actor: Actor,
  nowUs: number,
  which: "all" | "by a line" = "all",
): Promise<LimitLine[]> {
  const measuring = await partNeeds(needs, actor, needs.config.HALVIK_ZONE, BUDGET_MS);
  const lines = [];
  const started = performance.now();
  for (const { rule, crossedUs } of await keptLimits(needs.db))
    if (which === "all" || lineOf(rule) !== null)
      lines.push(await limitLine(measuring, rule, crossedUs, nowUs, performance.now() - started < ALL_MS));
  return lines;
}
