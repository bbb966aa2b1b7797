import { oneCondition, PLAIN, type RuleKind } from "../kind.js";
import { inWords, seconds, withTheSame } from "../words.js";
import type { SilenceRule } from "./schema.js";
import { SilenceRun } from "./silence-run.js";

export const silence: RuleKind<SilenceRule> = {
  ...PLAIN,
  conditions: oneCondition,
  say: (r) =>
    `nothing comes${withTheSame(r.key)} for ${inWords(r.afterSeconds)} after a record that matched: ${r.filter}`,
  windowSeconds: (r) => r.afterSeconds,
  waits: () => true,
  begin: (r, common) => {
    const logic = { ...common, afterUs: seconds(r.afterSeconds) };
    return (saved) => new SilenceRun(logic, saved);
  },
};
