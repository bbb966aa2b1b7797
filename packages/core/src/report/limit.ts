import { formatDuration, US_PER_SECOND } from "../base/time/index.js";
import { type AnyMeasure, isOwn } from "../query/measure/index.js";
import type { Unit } from "./say-measure.js";
import { sayValue } from "./say-value.js";

/** What a new rule guards, where it is made from a figure: so much of it in a stretch of time. */
export interface Limit {
  readonly measure: { readonly of: "records" } | { readonly of: "sum"; readonly field: "bytes" | "packets" };
  readonly everySeconds: number;
  readonly raiseAt: number;
  readonly clearAt: number;
}

const HOUR = 3_600;
/** So much more than usual is worth being told of, to begin with. */
const ABOVE = 2;
const CLEARED = 0.8;

/**
 * A limit to begin with: twice of what there was on the average of an hour (of five minutes, where less than a day was looked at).
 * @param value of the row, or of all @param seconds that it was measured over
 * @returns null where no rule guards such a figure
 */
export function limitFrom(asked: AnyMeasure, value: number | string | null, seconds: number): Limit | null {
  if (isOwn(asked)) return null;
  const { figure, perSecond } = asked;
  const measure =
    figure.of === "records"
      ? ({ of: "records" } as const)
      : figure.of === "sum" && "field" in figure.number
        ? ({ of: "sum", field: figure.number.field } as const)
        : null;
  if (measure === null || value === null) return null;
  const everySeconds = seconds >= 24 * HOUR ? HOUR : 300;
  // a rate of bytes is told in bits
  const inSecond = perSecond
    ? Number(value) / (measure.of === "sum" && measure.field === "bytes" ? 8 : 1)
    : Number(value) / seconds;
  const raiseAt = Math.max(1, roundUp(ABOVE * inSecond * everySeconds));
  return { measure, everySeconds, raiseAt, clearAt: Math.min(raiseAt, roundUp(CLEARED * raiseAt)) };
}

/** To two digits, upwards. */
function roundUp(n: number): number {
  if (n <= 0) return 0;
  const unit = 10 ** Math.max(0, Math.floor(Math.log10(n)) - 1);
  return Math.ceil(n / unit) * unit;
}

/** How near a value is to a line, in parts of the way: 1 is on it, more is beyond. Null where nothing can be said. */
export function nearness(value: number | null, side: "over" | "under", raiseAt: number): number | null {
  if (value === null) return null;
  if (side === "over") return raiseAt <= 0 ? null : value / raiseAt;
  return value <= 0 ? (raiseAt > 0 ? 2 : null) : raiseAt / value;
}

/** A limit and how near it is, as people read it: `“Logons” over 50 records in 1 h: 43 % of the way (k.lind)`. */
export function sayLimit(l: {
  readonly name: string;
  readonly side: "over" | "under" | "usual";
  readonly raiseAt: number | null;
  readonly unit: Unit;
  readonly everySeconds: number;
  readonly key: readonly string[];
  readonly near: number | null;
  readonly why: string;
}): string {
  const every = formatDuration(l.everySeconds * US_PER_SECOND);
  if (l.raiseAt === null) return `“${l.name}” by its own usual in ${every}`;
  const line = `“${l.name}” ${l.side} ${sayValue(l.raiseAt, l.unit)} in ${every}`;
  if (l.near === null) return `${line}: ${l.why}`;
  const key = l.key.length === 0 ? "" : ` (${l.key.join(", ")})`;
  return `${line}: ${sayNear(l.near)}${l.near > FAR ? " the line" : " of the way"}${key}`;
}

/** So many times beyond its line, how many hundredths of the way says nothing any more. */
const FAR = 10;

/** How near a figure is to its line: `43 %` of the way, or `× 83,718`. */
export const sayNear = (near: number): string =>
  near > FAR ? `× ${sayValue(Math.round(near), "")}` : `${Math.round(100 * near)} %`;
