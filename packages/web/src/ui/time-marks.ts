import {
  civilFromDays,
  clockToInstant,
  type Step,
  stepStart,
  US_PER_DAY,
  US_PER_HOUR,
  US_PER_MINUTE,
  US_PER_SECOND,
  zoneOffsetUs,
} from "@halvik/core/base/time";
import { clock, dayOfMonth, minute, monthName, weekday, yearOf } from "./time";

/** A round moment along a stretch of time, as the clock or the calendar of a zone says it. */
export interface TimeMark {
  readonly us: number;
  readonly text: string;
  readonly unit: "second" | "minute" | "hour" | "day" | "month";
  /** Something greater begins: a day among hours, a month among days, a year among months. */
  readonly begins: boolean;
}

const CLOCK_STEPS = [
  ...[1, 5, 10, 30].map((n) => n * US_PER_SECOND),
  ...[1, 5, 10, 30].map((n) => n * US_PER_MINUTE),
  ...[1, 2, 4, 12].map((n) => n * US_PER_HOUR),
];
/** Steps of the calendar, every so many of them, and about how many days that is. */
const CALENDAR_STEPS: readonly (readonly [step: Step, every: number, days: number])[] = [
  ["day", 1, 1],
  ["day", 2, 2],
  ["week", 1, 7],
  ["month", 1, 30],
  ["month", 3, 91],
  ["month", 12, 365],
];

/** The round moments of a stretch, ends included: about as many as there is room for, and no moment twice. */
export function timeMarks(fromUs: number, toUs: number, zone: string, most = 14): TimeMark[] {
  const span = toUs - fromUs;
  const step = CLOCK_STEPS.find((s) => span / s <= most);
  if (step !== undefined) return clockMarks(fromUs, toUs, zone, step);
  const calendar =
    CALENDAR_STEPS.find(([, , days]) => span / (days * US_PER_DAY) <= most) ??
    CALENDAR_STEPS[CALENDAR_STEPS.length - 1]!;
  return calendarMarks(fromUs, toUs, zone, calendar[0], calendar[1]);
}

function clockMarks(fromUs: number, toUs: number, zone: string, step: number): TimeMark[] {
  const out: TimeMark[] = [];
  const unit = step >= US_PER_HOUR ? "hour" : step >= US_PER_MINUTE ? "minute" : "second";
  // round by the clock of the zone, so that days begin at a mark
  for (let clockUs = Math.ceil((fromUs + zoneOffsetUs(zone, fromUs)) / step) * step; ; clockUs += step) {
    const us = clockToInstant(zone, clockUs);
    if (us > toUs) return out;
    // an hour that the clock leaves out is the next one
    if (us < fromUs || us === out[out.length - 1]?.us) continue;
    const begins = clock(us, zone) === "00:00:00";
    const seconds = clock(us, zone).slice(5);
    const text = begins ? dayOfMonth(us, zone) : unit === "second" && seconds !== ":00" ? seconds : minute(us, zone);
    out.push({ us, text, unit, begins });
  }
}

function calendarMarks(fromUs: number, toUs: number, zone: string, step: Step, every: number): TimeMark[] {
  const out: TimeMark[] = [];
  const unit = step === "month" ? "month" : "day";
  for (let later = 0; ; later++) {
    const us = stepStart(fromUs, step, zone, later);
    if (us > toUs) return out;
    const day = Math.round((us + zoneOffsetUs(zone, us)) / US_PER_DAY);
    const { month, day: ofMonth } = civilFromDays(day);
    if (us < fromUs || (step === "month" ? (month - 1) % every : step === "day" ? day % every : 0) !== 0) continue;
    const begins = unit === "month" ? month === 1 : ofMonth === 1;
    const [ofGreater, ofUnit] = unit === "month" ? [yearOf, monthName] : [dayOfMonth, weekday];
    // of weeks all are Mondays: their month says more
    const name = begins || step === "week" ? ofGreater : ofUnit;
    const text = name(us, zone);
    out.push({ us, text, unit, begins });
  }
}
