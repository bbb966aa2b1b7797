export { formatDuration, readSeconds, unitUs, writeSeconds } from "./duration.js";
export {
  civilFromDays,
  civilToUs,
  daysInMonth,
  type EpochUs,
  formatUs,
  US_PER_DAY,
  US_PER_HOUR,
  US_PER_MINUTE,
  US_PER_MS,
  US_PER_SECOND,
} from "./epoch.js";
export { nightOf } from "./night.js";
export { readRfc3339, twoDigits } from "./rfc3339.js";
export { STEPS, type Step, stepStart, stepsOf } from "./steps.js";
export { daysEarlier, midnight, readMoment } from "./typed-moment.js";
export { coverWeek, WEEKDAYS, weekday, weeklyWindowAt } from "./weekly-window.js";
export { writtenTime } from "./written-time.js";
export { clockToInstant, isZone, zoneOffsetUs } from "./zone.js";
export { formatZoned } from "./zoned.js";
