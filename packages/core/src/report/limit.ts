import { type EpochUs, formatDuration, US_PER_SECOND } from "../base/time/index.js";
import type { Count } from "../model/record/index.js";
import { type AnyMeasure, isOwn } from "../query/measure/index.js";
import type { Unit } from "./say-measure.js";
import { sayValue } from "./say-value.js";

/** What a new rule guards, where it is made from a figure: so much of it in a stretch of time. */
export interface Limit {
  readonly measure: { readonly of: "records" } | { readonly of: "sum"; readonly field: "bytes" | "packets" };
  readonly everySeconds: number;
  /** How often the last so many seconds are measured. */
  readonly lookEverySeconds: number;
  readonly raiseAt: number;
  readonly clearAt: number;
}

const HOUR = 3_600;
const DAY = 24 * HOUR;
/** So much more than usual is worth being told of, to begin with. */
const ABOVE = 2;
const CLEARED = 0.8;
/** A short stretch, and how often either is looked at: what lies across the ends of two stretches would be in neither. */
const [SHORT, LOOK_OFTEN, LOOK] = [300, 60, 300];

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
  const everySeconds = seconds >= DAY ? HOUR : SHORT;
  const lookEverySeconds = everySeconds === SHORT ? LOOK_OFTEN : LOOK;
  // a rate of bytes is told in bits
  const inSecond = perSecond
    ? Number(value) / (measure.of === "sum" && measure.field === "bytes" ? 8 : 1)
    : Number(value) / seconds;
  const raiseAt = Math.max(1, roundUp(ABOVE * inSecond * everySeconds));
  return {
    measure,
    everySeconds,
    lookEverySeconds,
    raiseAt,
    clearAt: Math.min(raiseAt, roundUp(CLEARED * raiseAt)),
  };
}

/** Points of the course of a limit at most. */
const MOST_POINTS = 96;

/**
 * The course of what a limit guards over the last day, or as much of it as there is room for: each point is of the last `everySeconds`, as its rule
 * measures it.
 * @returns the boundaries of the steps that are measured, and how many of them make a point; the first is `perPoint` steps after the first boundary
 */
export function courseOfLimit(
  { everySeconds, lookEverySeconds = everySeconds }: { everySeconds: number; lookEverySeconds?: number | undefined },
  nowUs: EpochUs,
): { readonly steps: EpochUs[]; readonly stepSeconds: number; readonly perPoint: number } {
  let stepSeconds = everySeconds;
  for (let s = lookEverySeconds; s < everySeconds; s += lookEverySeconds)
    if (everySeconds % s === 0 && DAY / s <= MOST_POINTS) {
      stepSeconds = s;
      break;
    }
  const perPoint = everySeconds / stepSeconds;
  const points = Math.max(1, Math.min(MOST_POINTS, Math.floor(DAY / stepSeconds)));
  const lookUs = lookEverySeconds * US_PER_SECOND;
  const toUs = Math.floor(nowUs / lookUs) * lookUs;
  const count = points + perPoint - 1;
  const steps = Array.from({ length: count + 1 }, (_, i) => toUs - (count - i) * stepSeconds * US_PER_SECOND);
  return { steps, stepSeconds, perPoint };
}

/** Sums of so many steps that follow one another. @param perPoint as many steps as make a point */
export function pointsOf(steps: readonly (Count | null)[], perPoint: number): number[] {
  const values = steps.map((v) => Number(v ?? 0));
  return values.slice(perPoint - 1).map((_, i) => values.slice(i, i + perPoint).reduce((sum, v) => sum + v, 0));
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
