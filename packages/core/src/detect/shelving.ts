import { clockToInstant, type EpochUs, US_PER_DAY, US_PER_MINUTE, zoneOffsetUs } from "../base/time/index.js";

/** Days of the week, in the order of ISO 8601. */
export const WEEKDAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"] as const;
export type Weekday = (typeof WEEKDAYS)[number];

/** A time of the week in which what a rule raises is expected: it is kept, and calls nobody until the window is over. */
export interface ShelvingWindow {
  /** On which days it begins; empty: every day. */
  readonly days: readonly Weekday[];
  /** Clock times `HH:MM` of the zone; one that ends before it begins ends the next day. */
  readonly from: string;
  readonly to: string;
  readonly why: string;
}

/** The window that holds a moment, and when it is over; null: none does. Of several the one that lasts longest. */
export function shelvedUntil(
  windows: readonly ShelvingWindow[],
  atUs: EpochUs,
  zone: string,
): { readonly untilUs: EpochUs; readonly why: string } | null {
  const clockUs = atUs + zoneOffsetUs(zone, atUs);
  const today = Math.floor(clockUs / US_PER_DAY);
  let longest: { untilUs: EpochUs; why: string } | null = null;
  // one that began yesterday may last past midnight
  for (const window of windows)
    for (const day of [today - 1, today]) {
      if (window.days.length > 0 && !window.days.includes(weekday(day))) continue;
      const from = day * US_PER_DAY + clockTime(window.from);
      const to = day * US_PER_DAY + clockTime(window.to) + (window.to > window.from ? 0 : US_PER_DAY);
      if (clockUs < from || clockUs >= to) continue;
      const untilUs = clockToInstant(zone, to);
      if (longest === null || untilUs > longest.untilUs) longest = { untilUs, why: window.why };
    }
  return longest;
}

/** 1 January 1970 was a Thursday. */
const weekday = (day: number): Weekday => WEEKDAYS[(((day + 3) % 7) + 7) % 7]!;

const clockTime = (text: string): number => (Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5))) * US_PER_MINUTE;
