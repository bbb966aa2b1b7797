import { US_PER_DAY } from "../../../base/time/index.js";
import { oneCondition, PLAIN, type RuleKind } from "../kind.js";
import { FirstRun } from "./first-run.js";
import type { FirstRule } from "./schema.js";

export const first: RuleKind<FirstRule> = {
  ...PLAIN,
  conditions: oneCondition,
  say: (r) =>
    `a ${r.key.join(" and ")} comes that was not seen for ${r.unseenDays} d (after ${r.learningDays} d of learning), and matches: ${r.filter}`,
  windowSeconds: () => 60,
  learns: () => true,
  learnsFromFirst: true,
  begin: (r, common) => {
    const logic = { unseenUs: r.unseenDays * US_PER_DAY, learningUs: r.learningDays * US_PER_DAY };
    return (saved, since) => new FirstRun({ ...common, ...logic, since }, saved);
  },
};
