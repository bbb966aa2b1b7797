import { PLAIN, type RuleKind } from "../kind.js";
import { lineFaults } from "../measured/line-faults.js";
import { lookFaults, sayLook, stepOf } from "../measured/look.js";
import { MeasuredRun } from "../measured/measured-run.js";
import { inWords, ofEach, seconds } from "../words.js";
import type { RatioRule } from "./schema.js";

export const ratio: RuleKind<RatioRule> = {
  ...PLAIN,
  /** The whole (0) and the part (1). */
  conditions: (r) => [
    { filter: r.of, key: r.key, name: "" },
    { filter: `(${r.of}) and (${r.filter})`, key: r.key, name: "" },
  ],
  say: (r) =>
    `of at least ${r.least} records${ofEach(r.key)} within ${inWords(r.everySeconds)}${sayLook(r)} that match ${r.of}, ${r.side === "over" ? "more" : "less"} than ${percent(r.raiseAt)} match: ${r.filter}`,
  windowSeconds: (r) => 2 * r.everySeconds,
  faults: (r) => [...lookFaults(r), ...lineFaults(r, ["clearAt"])],
  isUnder: (r) => r.side === "under",
  waits: () => true,
  begin: (r, common, zone) => {
    const { side, raiseAt, clearAt } = r;
    const logic = {
      ...common,
      measure: "share" as const,
      everyUs: seconds(r.everySeconds),
      stepUs: seconds(stepOf(r)),
      leastRecords: r.least,
      judgement: { by: "line" as const, side, raiseAt, clearAt },
      clearsByValue: r.clear.by === "condition",
      zone,
    };
    return (saved) => new MeasuredRun(logic, saved);
  },
};

const percent = (share: number): string => `${Math.round(share * 1000) / 10} %`;
