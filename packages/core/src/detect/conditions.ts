import type { FieldName } from "../model/record/index.js";
import type { Rule } from "./rule.js";

/** One thing a rule looks for: its filter, and the fields that carry the key in it. */
export interface Condition {
  readonly filter: string;
  readonly key: readonly FieldName[];
  /** What it is called where there are several. */
  readonly name: string;
}

/** What a rule looks for, by place: steps, parts, or the one thing; for a ratio the whole (0) and the part (1). */
export function conditionsOf(rule: Rule): readonly Condition[] {
  switch (rule.kind) {
    case "sequence":
      return rule.steps.map((s) => ({ filter: s.filter, key: s.key ?? rule.key, name: s.name }));
    case "together":
      return rule.parts.map((p) => ({ filter: p.filter, key: p.key ?? rule.key, name: p.name }));
    case "ratio":
      return [
        { filter: rule.of, key: rule.key, name: "" },
        { filter: `(${rule.of}) and (${rule.filter})`, key: rule.key, name: "" },
      ];
    default:
      return [{ filter: rule.filter, key: rule.key, name: "" }];
  }
}

/** What ends a rule's findings, when a record does. */
export const clearingOf = (rule: Rule): Condition | null =>
  rule.clear.by === "record" ? { filter: rule.clear.filter, key: rule.clear.key ?? rule.key, name: "" } : null;
