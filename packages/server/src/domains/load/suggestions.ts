import type { Suggestions } from "@halvik/contract/load";
import { type Rule, tryRule } from "@halvik/core/detect";
import { type PastOfRule, suggestFor } from "@halvik/core/respond/load";
import { parseDocument } from "yaml";
import type { Queryable } from "../../kernel/db/pool.js";
import { readRule, writeRule } from "../rules/rule-text.js";
import { pastFindings } from "./repository.js";

/** Of a rule the newest so many findings are looked at; of so many rules, those that raised most. */
const FINDINGS = 300;
const RULES = 15;
const LEAST_FINDINGS = 5;
const LISTED = 12;

/** Changes of the rules that raised most since a moment, by which less would have come. */
export async function suggestions(
  db: Queryable,
  rules: readonly Rule[],
  sinceUs: number,
  zone: string,
): Promise<Suggestions["suggestions"]> {
  const past = await pastFindings(db, sinceUs, FINDINGS);
  const others = new Map<string, PastOfRule>(
    rules.map((rule) => [rule.id, { severity: rule.severity, findings: past.get(rule.id) ?? [] }]),
  );
  const busiest = rules
    .filter((rule) => rule.enabled && (past.get(rule.id)?.length ?? 0) >= LEAST_FINDINGS)
    .sort((a, b) => past.get(b.id)!.length - past.get(a.id)!.length)
    .slice(0, RULES);
  return busiest
    .flatMap((rule) => suggestFor(rule, past.get(rule.id)!, others, zone).map((found) => ({ rule, found })))
    .flatMap(({ rule, found: { kind, says, change, came, without, expectedOrFalse } }) => {
      const document = parseDocument(writeRule(rule));
      for (const { path, value } of change) document.setIn(path, value);
      const text = document.toString({ lineWidth: 100 });
      const changed = readRule(text).rule;
      // what cannot be a rule is not suggested
      if (changed === null) return [];
      const failing = changed.tests.filter((t) => !tryRule(changed, t).passes).map((t) => t.name);
      return [{ rule: rule.id, name: rule.name, kind, says, came, without, expectedOrFalse, text, failing }];
    })
    .sort((a, b) => b.without - a.without)
    .slice(0, LISTED);
}
