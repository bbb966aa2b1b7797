import * as z from "zod";
import {
  civilFromDays,
  civilToUs,
  clockToInstant,
  daysEarlier,
  daysInMonth,
  type EpochUs,
  stepStart,
  US_PER_DAY,
  US_PER_HOUR,
  zoneOffsetUs,
} from "../base/time/index.js";

/** How far back a report looks from a moment: whole hours, days, weeks or months that are over, or so many up to the moment itself. */
export const Period = z.strictObject({
  last: z.int().min(1).max(400),
  unit: z.enum(["hour", "day", "week", "month"]),
  whole: z.boolean().default(true),
});
export type Period = z.infer<typeof Period>;

export interface Window {
  readonly fromUs: EpochUs;
  readonly toUs: EpochUs;
}

/** By the clock of the zone: a day in which clocks are set has 23 or 25 hours and is whole. */
export function windowOf({ last, unit, whole }: Period, atUs: EpochUs, zone: string): Window {
  if (whole) return { fromUs: stepStart(atUs, unit, zone, -last), toUs: stepStart(atUs, unit, zone) };
  return { fromUs: earlier(atUs, last, unit, zone), toUs: atUs };
}

/** The one before it, as long by the calendar. */
export function windowBefore({ last, unit, whole }: Period, { fromUs }: Window, zone: string): Window {
  return { fromUs: whole ? stepStart(fromUs, unit, zone, -last) : earlier(fromUs, last, unit, zone), toUs: fromUs };
}

function earlier(us: EpochUs, n: number, unit: Period["unit"], zone: string): EpochUs {
  if (unit === "hour") return us - n * US_PER_HOUR;
  if (unit === "day") return daysEarlier(us, zone, n);
  return unit === "week" ? daysEarlier(us, zone, 7 * n) : monthsEarlier(us, zone, n);
}

/** The same day of an earlier month, or its last where it has none. */
function monthsEarlier(us: EpochUs, zone: string, n: number): EpochUs {
  const clock = us + zoneOffsetUs(zone, us);
  const days = Math.floor(clock / US_PER_DAY);
  const { year, month, day } = civilFromDays(days);
  const months = year * 12 + (month - 1) - n;
  const [toYear, toMonth] = [Math.floor(months / 12), (months % 12) + 1];
  const to = civilToUs(toYear, toMonth, Math.min(day, daysInMonth(toYear, toMonth)), 0, 0, 0);
  return clockToInstant(zone, to + (clock - days * US_PER_DAY));
}

/** As people say it: `the last 7 days`, `the 24 hours before`. */
export function sayPeriod({ last, unit, whole }: Period): string {
  const units = last === 1 ? unit : `${last} ${unit}s`;
  return whole ? `the last whole ${units}` : `the ${last === 1 ? unit : units} up to then`;
}
