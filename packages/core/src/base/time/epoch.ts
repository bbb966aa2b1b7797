/** Integer microseconds since 1970-01-01T00:00Z; exact in a number until 2255. */
export type EpochUs = number;

export const US_PER_MS = 1_000;
export const US_PER_SECOND = 1_000_000;
export const US_PER_MINUTE = 60 * US_PER_SECOND;
export const US_PER_HOUR = 60 * US_PER_MINUTE;
export const US_PER_DAY = 24 * US_PER_HOUR;

const DAYS_IN_MONTH = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31] as const;

/** Days of a month of the proleptic Gregorian calendar. @param month 1 to 12 */
export function daysInMonth(year: number, month: number): number {
  if (month === 2 && year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0)) return 29;
  return DAYS_IN_MONTH[month - 1] ?? 0;
}

/** Days from 1970-01-01 to a civil date (Howard Hinnant, "chrono-Compatible Low-Level Date Algorithms"). */
export function daysFromCivil(year: number, month: number, day: number): number {
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1;
  const dayOfEra = yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear;
  return era * 146_097 + dayOfEra - 719_468;
}

/** The civil date of a day number; inverse of `daysFromCivil`. */
export function civilFromDays(days: number): { year: number; month: number; day: number } {
  const z = days + 719_468;
  const era = Math.floor(z / 146_097);
  const dayOfEra = z - era * 146_097;
  const yearOfEra = Math.floor(
    (dayOfEra - Math.floor(dayOfEra / 1460) + Math.floor(dayOfEra / 36_524) - Math.floor(dayOfEra / 146_096)) / 365,
  );
  const dayOfYear = dayOfEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100));
  const mp = Math.floor((5 * dayOfYear + 2) / 153);
  const month = mp < 10 ? mp + 3 : mp - 9;
  return {
    year: yearOfEra + era * 400 + (month <= 2 ? 1 : 0),
    month,
    day: dayOfYear - Math.floor((153 * mp + 2) / 5) + 1,
  };
}

/** A clock reading taken as if it were UTC, in µs. */
export function civilToUs(
  year: number,
  month: number,
  day: number,
  hour: number,
  minute: number,
  second: number,
  fractionUs = 0,
): EpochUs {
  return (
    daysFromCivil(year, month, day) * US_PER_DAY +
    hour * US_PER_HOUR +
    minute * US_PER_MINUTE +
    second * US_PER_SECOND +
    fractionUs
  );
}

/** RFC 3339 text in UTC with microseconds, as the API gives times. */
export function formatUs(us: EpochUs): string {
  const days = Math.floor(us / US_PER_DAY);
  const { year, month, day } = civilFromDays(days);
  let rest = us - days * US_PER_DAY;
  const hour = Math.floor(rest / US_PER_HOUR);
  rest -= hour * US_PER_HOUR;
  const minute = Math.floor(rest / US_PER_MINUTE);
  rest -= minute * US_PER_MINUTE;
  const second = Math.floor(rest / US_PER_SECOND);
  const fraction = rest - second * US_PER_SECOND;
  const two = (n: number) => String(n).padStart(2, "0");
  return `${String(year).padStart(4, "0")}-${two(month)}-${two(day)}T${two(hour)}:${two(minute)}:${two(second)}.${String(fraction).padStart(6, "0")}Z`;
}
