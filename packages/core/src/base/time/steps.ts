import { civilFromDays, civilToUs, type EpochUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "./epoch.js";
import { clockToInstant, zoneOffsetUs } from "./zone.js";

/** Lengths of a step: of the clock, or of the calendar. */
export const STEPS = ["minute", "5 minutes", "15 minutes", "hour", "6 hours", "day", "week", "month"] as const;
export type Step = (typeof STEPS)[number];

const CLOCK_STEPS: Partial<Record<Step, number>> = {
  minute: US_PER_MINUTE,
  "5 minutes": 5 * US_PER_MINUTE,
  "15 minutes": 15 * US_PER_MINUTE,
  hour: US_PER_HOUR,
};
/** Monday the 5th of January 1970, in days. */
const A_MONDAY = 4;

/**
 * The beginning of the step that a moment lies in, by the clock of a zone, or of one some steps later. A day in which clocks are set has 23 or 25
 * hours; the hours of a day in which one comes twice are told apart.
 */
export function stepStart(us: EpochUs, step: Step, zone: string, later = 0): EpochUs {
  const width = CLOCK_STEPS[step];
  if (width !== undefined) {
    // zones differ from UTC by whole quarters of an hour, and so their hours may begin at any of them
    const offset = zoneOffsetUs(zone, us) % width;
    return Math.floor((us + offset) / width) * width - offset + later * width;
  }
  const clock = us + zoneOffsetUs(zone, us);
  const day = Math.floor(clock / US_PER_DAY);
  if (step === "6 hours")
    return clockToInstant(zone, (Math.floor(clock / (6 * US_PER_HOUR)) + later) * 6 * US_PER_HOUR);
  if (step === "day") return clockToInstant(zone, (day + later) * US_PER_DAY);
  if (step === "week")
    return clockToInstant(zone, (Math.floor((day - A_MONDAY) / 7) + later) * 7 * US_PER_DAY + A_MONDAY * US_PER_DAY);
  const { year, month } = civilFromDays(day);
  const months = year * 12 + (month - 1) + later;
  return clockToInstant(zone, civilToUs(Math.floor(months / 12), (months % 12) + 1, 1, 0, 0, 0));
}

/**
 * The beginnings of the steps of a window and its end: the first and the last step may be cut by it.
 * @throws {RangeError} where there would be more than `most`
 */
export function stepsOf(fromUs: EpochUs, toUs: EpochUs, step: Step, zone: string, most: number): EpochUs[] {
  const starts = [fromUs];
  for (let at = stepStart(fromUs, step, zone, 1); at < toUs; at = stepStart(at, step, zone, 1)) {
    // clocks that are set back at midnight must not keep it from going on
    if (at <= starts[starts.length - 1]!) throw new RangeError(`steps of ${step} do not go on in ${zone}`);
    starts.push(at);
    if (starts.length > most) throw new RangeError(`more than ${most} steps`);
  }
  return [...starts, toUs];
}
