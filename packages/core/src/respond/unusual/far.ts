import { median, modifiedZ } from "../../base/statistics/index.js";

/** Fewer days than this say nothing about what is usual. */
export const LEAST_DAYS = 3;
/** What is far from usual: |M| above this (Iglewicz and Hoaglin 1993, see `modifiedZ`). */
const OUTLIER = 3.5;

/** More than on any other day, and clearly so. */
const HALF_MORE = 1.5;

/** An amount that is far above what the same hours of other days had. */
export interface Far {
  readonly now: number;
  readonly usual: number;
  /** The most that any of those days had. */
  readonly most: number;
  readonly days: number;
}

/**
 * Whether an amount is far above the same hours of the days before: an outlier among them, at least three times what is usual, half
 * more than on any of them.
 * @param before one value a day @param least less than this is nothing. The times and the least are our own scale: no source.
 */
export function farAbove(now: number, before: readonly number[], least: number): Far | null {
  if (before.length < LEAST_DAYS || now < least) return null;
  const usual = median(before);
  const most = Math.max(...before);
  if (now < 3 * usual || now < HALF_MORE * most || modifiedZ(now, before).z <= OUTLIER) return null;
  return { now, usual, most, days: before.length };
}

/** Values that came now and never before. */
export const firstSeen = (now: readonly string[], before: ReadonlySet<string>): string[] =>
  now.filter((value) => !before.has(value));
