import { oneCondition, PLAIN, type RuleKind } from "../kind.js";
import { inWords, seconds, withTheSame } from "../words.js";
import { CountRun } from "./count-run.js";
import type { CountRule } from "./schema.js";

export const count: RuleKind<CountRule> = {
  ...PLAIN,
  conditions: oneCondition,
  say: (r) =>
    r.count === 1
      ? `one record matches: ${r.filter}`
      : `${r.count} records within ${inWords(r.windowSeconds)}${withTheSame(r.key)} match: ${r.filter}`,
  windowSeconds: (r) => r.windowSeconds,
  begin: (r, common) => {
    const logic = { ...common, count: r.count, windowUs: seconds(r.windowSeconds) };
    return (saved) => new CountRun(logic, saved);
  },
};
