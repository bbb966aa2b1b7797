import { Rule, type RuleInput } from "../rule.js";
import { ACCESS_RULES } from "./access.js";
import { FIREWALL_RULES } from "./firewall.js";
import { FLOW_RULES } from "./flows.js";
import { HEALTH_RULES } from "./health.js";
import { NETWORK_RULES } from "./network.js";
import { ORDINARY } from "./ordinary.js";
import { OWN_RULES } from "./own.js";
import { WINDOWS_RULES } from "./windows.js";

const INPUT: readonly RuleInput[] = [
  ...ACCESS_RULES,
  ...WINDOWS_RULES,
  ...NETWORK_RULES,
  ...HEALTH_RULES,
  ...FIREWALL_RULES,
  ...FLOW_RULES,
  ...OWN_RULES,
];

let shipped: readonly Rule[] | undefined;

/** The rules every new Halvik starts with, each with its reason and tests. All can be changed. Read when they are first asked for: few who run rules are. */
export function shippedRules(): readonly Rule[] {
  shipped ??= INPUT.map((rule) =>
    Rule.parse({ ...rule, tests: [...(rule.tests ?? []), ...(ORDINARY[rule.id] ? [ORDINARY[rule.id]] : [])] }),
  );
  return shipped;
}
