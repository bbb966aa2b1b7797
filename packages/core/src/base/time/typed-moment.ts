import { civilFromDays, civilToUs, daysInMonth, type EpochUs, US_PER_DAY, US_PER_SECOND } from "./epoch.js";
import { writtenTime } from "./written-time.js";
import { clockToInstant, isZone, zoneOffsetUs } from "./zone.js";

const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const CLOCK = /^(\d{1,2}):(\d{2})(?::(\d{2})(?:\.(\d{1,6}))?)?$/;
const OFFSET = /^([+-])(\d{2}):?(\d{2})$/;

/** The day a moment falls on in a zone, as its midnight by that zone's clock (µs of clock time, not an instant). */
const dayOf = (us: EpochUs, zone: string): number =>
  Math.floor((us + zoneOffsetUs(zone, us)) / US_PER_DAY) * US_PER_DAY;

/** The instant at which a day begins in a zone. @param days so many days later; negative: earlier */
export function midnight(nowUs: EpochUs, zone: string, days = 0): EpochUs {
  return clockToInstant(zone, dayOf(nowUs, zone) + days * US_PER_DAY);
}

/** The instant at which a zone's clock showed the same, some days earlier. */
export const daysEarlier = (us: EpochUs, zone: string, days: number): EpochUs =>
  clockToInstant(zone, us + zoneOffsetUs(zone, us) - days * US_PER_DAY);

/**
 * A moment as people type it: `now`, `14:20`, `today`, `yesterday 14:20`, `24 Nov`, `Nov 24 02:00`, `24 Nov 2026 02:00:30`,
 * `2026-11-24 02:00`, each with a zone after it (`UTC`, `Europe/Oslo`, `+01:00`) or not; RFC 3339; seconds or milliseconds since 1970. Without a year the latest such day that is not after today; without a clock its beginning.
 * @param zone whose clock is meant where the text names none
 * @returns null when it is none of these, or names a day or an hour that does not exist
 */
export function readMoment(text: string, nowUs: EpochUs, zone: string): EpochUs | null {
  const words = text.trim().toLowerCase().replace(/,/g, " ").split(/\s+/);
  if (words.length === 1 && words[0] === "now") return nowUs;
  const last = words[words.length - 1] ?? "";
  if (words.length > 1) {
    const written = text.trim();
    const before = written.slice(0, written.lastIndexOf(" "));
    const offset = OFFSET.exec(last);
    if (offset !== null) {
      const us = (offset[1] === "-" ? -1 : 1) * (Number(offset[2]) * 60 + Number(offset[3])) * 60 * US_PER_SECOND;
      // a clock that is ahead shows a later time at the same moment
      const shown = readMoment(before, nowUs + us, "UTC");
      return shown === null ? null : shown - us;
    }
    const named = last === "utc" || last === "z" ? "UTC" : written.slice(written.lastIndexOf(" ") + 1);
    if ((named === "UTC" || named.includes("/")) && isZone(named)) return readMoment(before, nowUs, named);
  }
  const clock = CLOCK.exec(last);
  const clockUs = clock === null ? 0 : clockOf(clock);
  if (clockUs === null) return null;
  const days = clock === null ? words : words.slice(0, -1);
  const day = days.length === 0 && clock !== null ? dayOf(nowUs, zone) : namedDay(days, nowUs, zone);
  if (day !== null) return clockToInstant(zone, day + clockUs);
  return writtenTime(text.trim(), zone);
}

function clockOf([, h, m, s, fraction = ""]: RegExpExecArray): number | null {
  const [hours, minutes, seconds] = [Number(h), Number(m), Number(s ?? 0)];
  return hours > 23 || minutes > 59 || seconds > 59
    ? null
    : ((hours * 60 + minutes) * 60 + seconds) * US_PER_SECOND + Number(fraction.padEnd(6, "0"));
}

function namedDay(words: readonly string[], nowUs: EpochUs, zone: string): number | null {
  const today = dayOf(nowUs, zone);
  if (words.length === 1) {
    if (words[0] === "today") return today;
    if (words[0] === "yesterday") return today - US_PER_DAY;
    const date = /^(\d{4})-(\d{2})-(\d{2})$/.exec(words[0]!);
    return date === null ? null : civilDay(Number(date[1]), Number(date[2]), Number(date[3]));
  }
  if (words.length !== 2 && words.length !== 3) return null;
  const at = words.slice(0, 2).findIndex((w) => MONTHS.includes(w.slice(0, 3)) && /^[a-z]{3,9}$/.test(w));
  const number = words[1 - at];
  if (at < 0 || number === undefined || !/^\d{1,2}$/.test(number)) return null;
  const month = MONTHS.indexOf(words[at]!.slice(0, 3)) + 1;
  if (words.length === 3) return /^\d{4}$/.test(words[2]!) ? civilDay(Number(words[2]), month, Number(number)) : null;
  const { year } = civilFromDays(today / US_PER_DAY);
  const thisYear = civilDay(year, month, Number(number));
  return thisYear !== null && thisYear <= today ? thisYear : civilDay(year - 1, month, Number(number));
}

const civilDay = (year: number, month: number, day: number): number | null =>
  month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month) ? null : civilToUs(year, month, day, 0, 0, 0);
