import { median } from "../../../base/statistics/index.js";
import type { EpochUs } from "../../../base/time/index.js";
import type { RuleEvent } from "../../event.js";
import { type PackedEvent, packEvent, unpackEvent } from "../../packed-event.js";

export const MAX_TIMES = 200;
export const EVIDENCE = 5;

/** What is measured of one key between two moments. */
export interface Stretch {
  startUs: EpochUs;
  records: number;
  sum: number;
  meets: number;
  /** When its records came, where spacing is measured; bounded. */
  times: EpochUs[];
  /** The first records of the stretch: evidence. */
  events: RuleEvent[];
}

/** As it is kept. */
export type PackedStretch = Omit<Stretch, "events"> & { readonly events: readonly PackedEvent[] };

export const begun = (startUs: EpochUs): Stretch => ({ startUs, records: 0, sum: 0, meets: 0, times: [], events: [] });

export const copied = (s: Stretch): Stretch => ({ ...s, times: [...s.times], events: [...s.events] });
export const packed = (s: Stretch): PackedStretch => ({ ...s, times: [...s.times], events: s.events.map(packEvent) });
export const unpacked = (s: PackedStretch): Stretch => ({
  ...s,
  times: [...s.times],
  events: s.events.map(unpackEvent),
});

/** Two parts of one stretch. */
export const joined = (beginning: Stretch, end: Stretch): Stretch => ({
  startUs: end.startUs,
  records: beginning.records + end.records,
  sum: beginning.sum + end.sum,
  meets: beginning.meets + end.meets,
  times: [...beginning.times, ...end.times].slice(0, MAX_TIMES),
  events: [...beginning.events, ...end.events].slice(0, EVIDENCE),
});

/** The median deviation of the gaps from their median, in parts of that median: 0 is a clock. */
export function unevenness(times: readonly EpochUs[]): number {
  const sorted = [...times].sort((a, b) => a - b);
  const gaps = sorted.slice(1).map((t, i) => t - sorted[i]!);
  const middle = median(gaps);
  return middle === 0 ? Number.POSITIVE_INFINITY : median(gaps.map((g) => Math.abs(g - middle))) / middle;
}
