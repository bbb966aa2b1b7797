import type { IncidentDetail } from "@halvik/contract/incidents";
import { formatDuration } from "@halvik/core/base/time";
import { type Marked, usOf } from "../../data/view-store";

/** The window in which the rule that gives an incident its name was met first; null: that rule has none. */
export function ruleWindow({ incident, rules, findings }: IncidentDetail): Marked | null {
  const rule = rules.find((r) => r.id === incident.rule.id);
  // the latest stands first
  const first = [...findings].reverse().find((f) => f.rule === incident.rule.id);
  if (rule === undefined || first === undefined || rule.windowSeconds === 0) return null;
  const toUs = usOf(first.raised);
  const spanUs = rule.windowSeconds * 1e6;
  return { fromUs: toUs - spanUs, toUs, says: `“${rule.name}” was met within ${formatDuration(spanUs)}` };
}
