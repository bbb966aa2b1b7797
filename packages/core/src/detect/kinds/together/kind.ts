import { DistinctRun } from "../distinct/distinct-run.js";
import { keyFaults, PLAIN, type RuleKind } from "../kind.js";
import { inWords, named, seconds, withTheSame } from "../words.js";
import type { TogetherRule } from "./schema.js";

/** Which part an event is, is the value whose different ones are counted. */
export const together: RuleKind<TogetherRule> = {
  ...PLAIN,
  conditions: (r) => r.parts.map((p) => ({ filter: p.filter, key: p.key ?? r.key, name: p.name })),
  say: (r) =>
    `within ${inWords(r.windowSeconds)}${withTheSame(r.key)}, in any order, ${r.atLeast === undefined ? "all" : `${r.atLeast}`} of these come: ${r.parts.map(named).join("; ")}`,
  windowSeconds: (r) => r.windowSeconds,
  faults: (r) => [
    ...((r.atLeast ?? 2) > r.parts.length
      ? [{ path: ["atLeast"], message: `there are only ${r.parts.length} parts` }]
      : []),
    ...keyFaults(
      r.key,
      r.parts.map((p, i) => [["parts", i, "key"], p.key] as const),
    ),
  ],
  severalSteps: true,
  begin: (r, common) => {
    const parts = r.parts.length;
    const logic = { ...common, count: r.atLeast ?? parts, windowUs: seconds(r.windowSeconds), parts };
    return (saved) => new DistinctRun(logic, saved);
  },
};
