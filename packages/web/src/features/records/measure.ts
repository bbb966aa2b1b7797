import { bytesText } from "@halvik/core/meaning/sentence";
import { countFromJson } from "@halvik/core/model/record";
import { AMOUNTS, type Measure } from "@halvik/core/query/measure";

/** Fields whose different values say something about another's. */
const TOLD_APART = ["src", "dst", "dst port", "user", "sender", "host", "event", "policy"] as const;

/** Measures to choose from, as addresses have them, with their names. */
export const MEASURE_OPTIONS = [
  { value: "records", label: "by records" },
  { value: "bytes", label: "by bytes" },
  { value: "packets", label: "by packets" },
  ...TOLD_APART.map((field) => ({ value: `distinct:${field}`, label: `by distinct ${field}` })),
];

/** @param text as the address has it; what names none is records */
export function readMeasure(text: string | null): Measure {
  const amount = AMOUNTS.find((a) => a === text);
  if (amount !== undefined) return { by: amount };
  const field = TOLD_APART.find((f) => text === `distinct:${f}`);
  return field === undefined ? { by: "records" } : { by: "distinct", of: field };
}

export const measureValue = (measure: Measure): string =>
  measure.by === "distinct" ? `distinct:${measure.of}` : measure.by;

/** An amount of a measure as people read it. */
export const amountText = (measure: Measure, amount: number | string): string =>
  measure.by === "bytes" ? bytesText(countFromJson(amount)) : countFromJson(amount).toLocaleString("en");
