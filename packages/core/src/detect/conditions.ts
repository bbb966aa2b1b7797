import type { Condition } from "./kinds/kind.js";
import { kindOf } from "./kinds/registry.js";
import type { Rule } from "./rule.js";

/** What a rule looks for, by place. */
export const conditionsOf = (rule: Rule): readonly Condition[] => kindOf(rule).conditions(rule);

/** What ends a rule's findings, when a record does. */
export const clearingOf = (rule: Rule): Condition | null =>
  rule.clear.by === "record" ? { filter: rule.clear.filter, key: rule.clear.key ?? rule.key, name: "" } : null;
