import { type Rule, tryRule } from "@halvik/core/detect";
import { type RuleIssue, readRule } from "./rule-text.js";

/** What a rule that somebody wrote amounts to. */
export interface CheckedRule {
  readonly rule: Rule | null;
  readonly issues: readonly RuleIssue[];
  readonly tests: readonly TestOutcome[];
}

export interface TestOutcome {
  readonly name: string;
  readonly raises: number;
  readonly raised: number;
  readonly passes: boolean;
}

/** Reads a rule and runs its tests: how long that takes is the writer's doing. */
export function checkRule(text: string): CheckedRule {
  const { rule, issues } = readRule(text);
  if (rule === null) return { rule, issues, tests: [] };
  const tests = rule.tests.map((t) => {
    const { raised, passes } = tryRule(rule, t);
    return { name: t.name, raises: t.raises, raised, passes };
  });
  return { rule, issues, tests };
}
