import { type Rule, tryRule } from "@halvik/core/detect";
import type { NamedLists } from "@halvik/core/model/lists";
import { listNames, nearest } from "@halvik/core/query/filter";
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

/** A rule that names a list that there is not can never find what it is for. */
export function withoutUnknownLists(checked: CheckedRule, lists: NamedLists): CheckedRule {
  if (checked.rule === null) return checked;
  const texts = JSON.stringify({ ...checked.rule, tests: [] }).replaceAll('\\"', '"');
  const unknown = [...new Set(listNames(texts))].filter((name) => lists.find(name) === undefined);
  if (unknown.length === 0) return checked;
  const issues = unknown.map((name) => {
    const near = nearest(name, lists.names());
    return { path: "", message: `there is no list “${name}”${near === null ? "" : `; did you mean “${near}”?`}` };
  });
  return { rule: null, issues, tests: [] };
}
