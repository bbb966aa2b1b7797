import { oneCondition, PLAIN, type RuleKind } from "../kind.js";
import { inWords, seconds, withTheSame } from "../words.js";
import { DistinctRun } from "./distinct-run.js";
import type { DistinctRule } from "./schema.js";

export const distinct: RuleKind<DistinctRule> = {
  ...PLAIN,
  conditions: oneCondition,
  say: (r) =>
    `within ${inWords(r.windowSeconds)} records${withTheSame(r.key)} name ${r.count} different values of ${r.of}, and match: ${r.filter}`,
  windowSeconds: (r) => r.windowSeconds,
  distinctOf: (r) => r.of,
  begin: (r, common) => {
    const logic = { ...common, count: r.count, windowUs: seconds(r.windowSeconds), parts: null };
    return (saved) => new DistinctRun(logic, saved);
  },
};
