import { ruleIdOf, titleOf } from "@halvik/core/detect/form";
import { stringify } from "yaml";

const NAME = "My rule";

/**
 * What the editor of a new rule begins with.
 * @param filter what it looks for, where that came from a record or a search: each such record then raises
 * @param taken ids of the rules there are
 */
export function newRule(filter: string | null, name: string | null, taken: readonly string[]): string {
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
