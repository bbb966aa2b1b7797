import { type Fault, oneCondition, PLAIN, type RuleKind } from "../kind.js";
import { lineFaults } from "../measured/line-faults.js";
import { lookFaults, sayLook, stepOf } from "../measured/look.js";
import { MeasuredRun } from "../measured/measured-run.js";
import { inWords, ofEach, seconds } from "../words.js";
import type { DepartureRule } from "./schema.js";

export const departure: RuleKind<DepartureRule> = {
  ...PLAIN,
  conditions: oneCondition,
  say: (r) => `${sayMeasure(r)}${ofEach(r.key)} ${sayJudgement(r.judgement)}, of what matches: ${r.filter}`,
  windowSeconds: (r) => 2 * r.everySeconds,
  faults: (r): Fault[] => [
    ...lookFaults(r),
    ...(stepOf(r) !== r.everySeconds && !mayLookOften(r)
      ? [{ path: ["lookEverySeconds"], message: "only records and sums against a line are looked at more often" }]
      : []),
    ...(r.judgement.by === "line" ? lineFaults(r.judgement, ["judgement", "clearAt"]) : []),
    ...(r.measure.of === "value" && !r.measure.field === !r.measure.data
      ? [{ path: ["measure"], message: "a reading is a field or a named value: give one of field and data" }]
      : []),
  ],
  isUnder: (r) => "side" in r.judgement && r.judgement.side === "under",
  waits: (r) => r.measure.of !== "value",
  learns: (r) => r.judgement.by !== "line",
  amount: ({ measure: m }) => {
    if (m.of === "sum") return { field: m.field };
    if (m.of !== "value") return null;
    return m.field === undefined ? { data: m.data ?? "" } : { field: m.field };
  },
  // what ends by a record needs to know which came before it
  gathersUs: (r) =>
    (r.measure.of === "sum" || r.measure.of === "records") && r.clear.by !== "record" ? seconds(stepOf(r)) : null,
  begin: (r, common, zone) => {
    const logic = {
      ...common,
      measure: r.measure.of,
      everyUs: seconds(r.everySeconds),
      stepUs: seconds(stepOf(r)),
      leastRecords: r.measure.of === "spacing" ? r.measure.least : 0,
      judgement: r.judgement,
      clearsByValue: r.clear.by === "condition",
      zone,
    };
    return (saved) => new MeasuredRun(logic, saved);
  },
};

/** What is usual is learnt from stretches that have nothing in common. */
const mayLookOften = ({ measure, judgement }: DepartureRule): boolean =>
  judgement.by === "line" && (measure.of === "records" || measure.of === "sum");

function sayMeasure(rule: DepartureRule): string {
  const { measure } = rule;
  if (measure.of === "value") return `the ${measure.field ?? measure.data}`;
  if (measure.of === "spacing")
    return `the unevenness of the gaps between at least ${measure.least} records in ${inWords(rule.everySeconds)}`;
  const what = measure.of === "records" ? "the number of records" : `the sum of ${measure.field}`;
  return `${what} in ${inWords(rule.everySeconds)}${sayLook(rule)}`;
}

function sayJudgement(j: DepartureRule["judgement"]): string {
  switch (j.by) {
    case "line":
      return `is ${j.side} ${j.raiseAt} (until ${j.side === "over" ? "under" : "over"} ${j.clearAt})`;
    case "baseline":
      return `departs from its usual at this hour of the week (modified z-score ${j.side === "both" ? "beyond" : j.side} ${j.z}${j.least > 0 ? `, and by ${j.least} at least` : ""}${j.part === undefined ? "" : `, and by ${Math.round(j.part * 100)} % of it at least`})`;
    case "ewma":
      return `drifts: its smoothed mean (λ ${j.lambda}) leaves ${j.k} deviations of the first ${j.training}`;
    case "cusum":
      return `drifts: its summed deviations exceed ${j.limit} deviations of the first ${j.training}`;
  }
}
