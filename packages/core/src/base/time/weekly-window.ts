import { type EpochUs, US_PER_DAY, US_PER_MINUTE } from "./epoch.js";
import { clockToInstant, zoneOffsetUs } from "./zone.js";

/** Days of the week, in the order of ISO 8601. */
export const WEEKDAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"] as const;
export type Weekday = (typeof WEEKDAYS)[number];

/** A time of the week. */
export interface WeeklyWindow {
  /** On which days it begins; empty: every day. */
  readonly days: readonly Weekday[];
  /** Clock times `HH:MM` of the zone; one that ends before it begins ends the next day. */
  readonly from: string;
  readonly to: string;
}

/** The window that holds a moment, and when it is over; null: none does. Of several the one that lasts longest. */
export function weeklyWindowAt<W extends WeeklyWindow>(
  windows: readonly W[],
  atUs: EpochUs,
  zone: string,
): { readonly untilUs: EpochUs; readonly window: W } | null {
  const clockUs = atUs + zoneOffsetUs(zone, atUs);
  const today = Math.floor(clockUs / US_PER_DAY);
  let longest: { untilUs: EpochUs; window: W } | null = null;
  // one that began yesterday may last past midnight
  for (const window of windows)
    for (const day of [today - 1, today]) {
      if (window.days.length > 0 && !window.days.includes(weekday(day))) continue;
      const from = day * US_PER_DAY + clockTime(window.from);
      const to = day * US_PER_DAY + clockTime(window.to) + (window.to > window.from ? 0 : US_PER_DAY);
      if (clockUs < from || clockUs >= to) continue;
      const untilUs = clockToInstant(zone, to);
      if (longest === null || untilUs > longest.untilUs) longest = { untilUs, window };
    }
  return longest;
}

const MINUTES_OF_DAY = 24 * 60;

/** Whether windows together leave no minute of the week free. */
export function coverWeek(windows: readonly WeeklyWindow[]): boolean {
  const taken = new Uint8Array(7 * MINUTES_OF_DAY);
  for (const { days, from, to } of windows)
    for (const [day, name] of WEEKDAYS.entries()) {
      if (days.length > 0 && !days.includes(name)) continue;
      const start = day * MINUTES_OF_DAY + clockTime(from) / US_PER_MINUTE;
      const length = (clockTime(to) - clockTime(from)) / US_PER_MINUTE + (to > from ? 0 : MINUTES_OF_DAY);
      for (let minute = start; minute < start + length; minute++) taken[minute % taken.length] = 1;
    }
  return taken.every((t) => t === 1);
}

/** The day of the week of a day since 1 January 1970, which was a Thursday. */
export const weekday = (day: number): Weekday => WEEKDAYS[(((day + 3) % 7) + 7) % 7]!;

const clockTime = (text: string): number => (Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5))) * US_PER_MINUTE;
