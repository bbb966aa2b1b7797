import type { LimitLine } from "@halvik/contract/reports";
import { readKeptRule } from "@halvik/core/detect";
import type { Actor } from "../../kernel/actor.js";
import { listRules } from "../rules/repository.js";
import { isLimit, limitLine } from "./limits.js";
import { partNeeds, type ReportNeeds } from "./make-report.js";

const BUDGET_MS = 15_000;
/** Within which limits are measured; those after it say that there was no time. */
const ALL_MS = 20_000;

/** Every limit and where its figure is, one after another: a page of them asks no more of the store than somebody who searches. */
export async function limitLines(needs: ReportNeeds, actor: Actor, nowUs: number): Promise<LimitLine[]> {
  const measuring = await partNeeds(needs, actor, needs.config.HALVIK_ZONE, BUDGET_MS);
  const lines = [];
  const started = performance.now();
  for (const { body, last_raised_us: crossedUs } of await listRules(needs.db)) {
    // one that cannot be read any more is told of on its own page
    const rule = readKeptRule(body)?.rule;
    if (rule === undefined || !isLimit(rule)) continue;
    lines.push(await limitLine(measuring, rule, crossedUs, nowUs, performance.now() - started < ALL_MS));
  }
  return lines;
}
