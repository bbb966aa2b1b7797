import type { RuleList } from "@halvik/contract/rules";

export type RuleLine = RuleList["rules"][number];

/** What a rule does at present, and how that is switched. */
export const RULE_STATES = [
  { state: "on", label: "on", change: { enabled: true, listenOnly: false } },
  { state: "observing", label: "observing", change: { enabled: true, listenOnly: true } },
  { state: "off", label: "off", change: { enabled: false } },
] as const;
export type RuleState = (typeof RULE_STATES)[number]["state"];

export const stateOf = ({ enabled, listenOnly }: Pick<RuleLine, "enabled" | "listenOnly">): RuleState =>
  enabled ? (listenOnly ? "observing" : "on") : "off";
