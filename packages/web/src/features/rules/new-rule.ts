import { ruleIdOf, titleOf } from "@halvik/core/detect/form";
import type { Limit } from "@halvik/core/report";
import { stringify } from "yaml";

const NAME = "My rule";

/** A rule that guards a figure by a line. */
function limitRule(limit: Limit, filter: string, name: string, taken: readonly string[]): string {
  const rule = {
    id: ruleIdOf(name, taken),
    name,
    kind: "departure",
    severity: "warning",
    filter,
    key: [],
    measure: limit.measure,
    everySeconds: limit.everySeconds,
    lookEverySeconds: limit.lookEverySeconds,
    judgement: { by: "line", side: "over", raiseAt: limit.raiseAt, clearAt: limit.clearAt },
  };
  return stringify({ ...rule, title: name, clear: { by: "condition" }, reason: "" }, { lineWidth: 100 });
}

/**
 * What the editor of a new rule begins with.
 * @param filter what it looks for, where that came from a record or a search: each such record then raises
 * @param taken ids of the rules there are
 */
export function newRule(
  filter: string | null,
  name: string | null,
  taken: readonly string[],
  limit: Limit | null = null,
): string {
  if (limit !== null) return limitRule(limit, filter ?? "", name ?? NAME, taken);
  const rule = {
    id: ruleIdOf(name ?? NAME, taken),
    name: name ?? NAME,
    kind: "count",
    severity: "warning",
    filter: filter ?? "severity at least error",
    key: ["sender"],
    count: filter === null ? 10 : 1,
    windowSeconds: 300,
  };
  return stringify(
    { ...rule, title: titleOf(rule), clear: { by: "quiet", seconds: 900 }, reason: "" },
    { lineWidth: 100 },
  );
}
