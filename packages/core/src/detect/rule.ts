import type * as z from "zod";
import { US_PER_SECOND } from "../base/time/index.js";
import { SEVERITIES, type Severity } from "../model/record/index.js";
import { savedFilterNames } from "../query/filter/index.js";
import type { Episode } from "./event.js";
import { FORMS } from "./form/forms.js";
import { type Fault, keyFaults } from "./kinds/kind.js";
import { kindOf } from "./kinds/registry.js";
import { RuleShape } from "./kinds/schemas.js";
import { filterFault } from "./schema/parts.js";

/** A rule of any kind. A new kind is one more folder of `kinds/`. */
export const Rule = RuleShape.superRefine((rule, context) => {
  for (const issue of faults(rule)) context.addIssue({ code: "custom", ...issue });
});
export type Rule = RuleShape;
/** A rule as people write it: what has a default may be left out. */
export type RuleInput = z.input<typeof RuleShape>;

/** What the shape alone cannot say: parts that must fit one another. */
function faults(rule: Rule): Fault[] {
  const { endsItself, evidence } = FORMS[rule.kind];
  const out: Fault[] = [];
  if (rule.clear.by === "condition" && endsItself === null)
    out.push({ path: ["clear", "by"], message: "only silence, departure and ratio end by their own condition" });
  for (const [i, { filter, value }] of rule.worse.entries()) {
    if (filter !== undefined && evidence !== "records")
      out.push({
        path: ["worse", i, "filter"],
        message: "what counts here is a measure, not one record: give count or value",
      });
    if (value !== undefined && evidence !== "measure")
      out.push({ path: ["worse", i, "value"], message: "only departure and ratio measure a value" });
  }
  const { savedFilters } = rule;
  const filters = [
    ...kindOf(rule)
      .conditions(rule)
      .map((c) => ({ path: ["filter"], text: c.filter })),
    ...(rule.clear.by === "record" ? [{ path: ["clear", "filter"], text: rule.clear.filter }] : []),
    ...rule.worse.map((w, i) => ({ path: ["worse", i, "filter"], text: w.filter ?? "" })),
  ];
  for (const { path, text } of filters) {
    const message = savedFilterNames(text).length > 0 ? filterFault(text, savedFilters) : null;
    if (message !== null) out.push({ path, message });
  }
  if (rule.clear.by === "record") out.push(...keyFaults(rule.key, [[["clear", "key"], rule.clear.key]]));
  return [...out, ...kindOf(rule).faults(rule)];
}

/** How severe a finding is, by what it has come to. */
export function severityOf(rule: Rule, { count, worse, facts }: Pick<Episode, "count" | "worse" | "facts">): Severity {
  const value = facts.find(([name]) => name === "value")?.[1];
  const isUnder = kindOf(rule).isUnder(rule);
  const reached = rule.worse
    .filter(
      (w, i) =>
        (w.count === undefined || count >= w.count) &&
        (w.filter === undefined || (worse & (1 << i)) !== 0) &&
        (w.value === undefined || (value !== undefined && (isUnder ? value <= w.value : value >= w.value))),
    )
    .map((w) => w.severity);
  return Math.min(...[rule.severity, ...reached].map((s) => SEVERITIES.indexOf(s))) as Severity;
}

/** How severe a finding of a rule can become. */
export const worstSeverityOf = (rule: Pick<Rule, "severity" | "worse">): Rule["severity"] =>
  [rule.severity, ...rule.worse.map((w) => w.severity)].sort(
    (a, b) => SEVERITIES.indexOf(a) - SEVERITIES.indexOf(b),
  )[0]!;

/**
 * After how long without evidence a finding has stopped: as its rule says, or, where only a person can judge it, one window; null: something
 * has to say that it is over (`docs/semantics.md` 21).
 */
export function quietUsOf(rule: Rule): number | null {
  if (rule.clear.by === "quiet") return rule.clear.seconds * US_PER_SECOND;
  return rule.clear.by === "hand" ? ruleWindowUs(rule) : null;
}

/** How far apart evidence of one episode may be, in µs: what `docs/semantics.md` 21 calls W. */
export const ruleWindowUs = (rule: Rule): number => kindOf(rule).windowSeconds(rule) * 1e6;

/** A tag of more rules than this says where a thing was seen, not what it is about. */
const FEW_RULES = 5;

/** What each rule is about as few others are: its tags that few rules have. */
export function subjectsOf(rules: Iterable<Pick<Rule, "id" | "tags">>): (rule: string) => readonly string[] {
  const all = [...rules];
  const uses = new Map<string, number>();
  for (const tag of all.flatMap((r) => r.tags)) uses.set(tag, (uses.get(tag) ?? 0) + 1);
  const own = new Map(all.map((r) => [r.id, r.tags.filter((tag) => uses.get(tag)! <= FEW_RULES)]));
  return (id) => own.get(id) ?? [];
}

/** Whether the evidence of a rule is the records themselves, not a measure of many or that none came. */
export const isOfRecords = (rule: Pick<Rule, "kind">): boolean => FORMS[rule.kind].evidence === "records";
