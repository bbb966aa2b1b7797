import { shortNumber } from "@halvik/core/base/text";
import type { TrafficAsked } from "../../data/api";

type Measure = TrafficAsked["measure"];

/** An amount of a measure: of bytes, packets or flows. */
export const sayAmount = (n: number, measure: Measure): string => shortNumber(n, measure === "bytes" ? "B" : "");

/** What a step carries, by the second: bytes in bits. */
export const rateOf = (n: number, measure: Measure, stepSeconds: number): number =>
  ((measure === "bytes" ? 8 : 1) * n) / stepSeconds;
export const sayRate = (rate: number, measure: Measure): string =>
  measure === "bytes"
    ? shortNumber(rate, "b/s")
    : `${rate >= 10 || rate === 0 ? shortNumber(Math.round(rate)) : rate.toFixed(2)}/s`;

/** Round steps of a scale from nothing to the most: at most so many. */
export function ticks(most: number, count: number): number[] {
  if (!(most > 0)) return [];
  const rough = most / count;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough) ?? 10 * power;
  return Array.from({ length: Math.floor(most / step) }, (_, i) => (i + 1) * step);
}

/** Each step of a logarithmic scale is ten times the one before; nothing stands at its beginning. */
export const LOG_DECADES = 4;
export const logPart = (n: number, most: number): number =>
  n <= 0 ? 0 : Math.max(0, 1 + Math.log10(n / most) / LOG_DECADES);

/** How full a link is, in and out: "in 12 %, at most 87 %". Steps hold octets of each way; capacity is bits a second. */
export function sayUtilisation(
  steps: readonly { readonly whole: readonly number[] }[],
  stepSeconds: number,
  capacity: number,
): string {
  const part = (octets: number): string => {
    const percent = (100 * rateOf(octets, "bytes", stepSeconds)) / capacity;
    return `${percent > 0 && percent < 1 ? "< 1" : Math.round(percent)} %`;
  };
  return ["in", "out"]
    .map((way, side) => {
      const of = steps.map((s) => s.whole[side] ?? 0);
      const mean = of.reduce((a, b) => a + b, 0) / Math.max(1, of.length);
      return `${way} ${part(mean)}, at most ${part(Math.max(0, ...of))}`;
    })
    .join(" · ");
}
