import {
  civilFromDays,
  civilToUs,
  clockToInstant,
  daysInMonth,
  type EpochUs,
  readRfc3339,
  twoDigits,
  US_PER_DAY,
  zoneOffsetUs,
} from "../../base/time/index.js";
import type { SyslogContext } from "./message.js";

export interface DeviceStamp {
  readonly text: string;
  readonly us: EpochUs;
  readonly coarse: boolean;
  /** Index after the stamp and the space (or colon and space) that ends it. */
  readonly end: number;
}

const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const monthNumber = new Map(MONTHS.map((name, i) => [name, i + 1]));

/**
 * The stamp at the start of an RFC 3164 header: `Mmm dd hh:mm:ss`, and what is seen in practice beside it (common
 * practice, no source): a fraction, a year after the day or after the time, `UTC` or another zone word after a fraction,
 * a leading `*` or `.` of an unsynchronised clock, an ISO time, and a closing colon.
 * @returns null when there is none; a day that does not exist (`Feb 30`) is no stamp
 */
export function readDeviceStamp(line: string, start: number, context: SyslogContext): DeviceStamp | null {
  const first = line.charCodeAt(start);
  if (first >= 48 && first <= 57) return readIsoStamp(line, start, context);
  const at = first === 42 || first === 46 ? start + 1 : start;
  const month = monthNumber.get(line.slice(at, at + 3));
  if (month === undefined || line.charCodeAt(at + 3) !== 32) return null;
  const tens = line.charCodeAt(at + 4);
  let i: number;
  let day: number;
  if (tens === 32 || (line.charCodeAt(at + 5) === 32 && tens > 48 && tens <= 57)) {
    // "Oct  1" as the RFC has it, "Oct 1" as some write it
    const digitAt = tens === 32 ? at + 5 : at + 4;
    day = line.charCodeAt(digitAt) - 48;
    i = digitAt + 1;
  } else {
    day = twoDigits(line, at + 4);
    i = at + 6;
  }
  if (!(day >= 1 && day <= 31) || line.charCodeAt(i) !== 32) return null;
  i += 1;
  let year: number | null = null;
  const early = readYear(line, i);
  if (early !== null && line.charCodeAt(i + 4) === 32) {
    year = early;
    i += 5;
  }
  const hour = twoDigits(line, i);
  const minute = twoDigits(line, i + 3);
  const second = twoDigits(line, i + 6);
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 60) return null;
  if (line.charCodeAt(i + 2) !== 58 || line.charCodeAt(i + 5) !== 58) return null;
  i += 8;
  let fractionUs = 0;
  let coarse = true;
  if (line.charCodeAt(i) === 46) {
    let digits = 0;
    let j = i + 1;
    for (; ; j++) {
      const d = line.charCodeAt(j) - 48;
      if (!(d >= 0 && d <= 9)) break;
      if (digits < 6) fractionUs = fractionUs * 10 + d;
      digits++;
    }
    if (digits > 0) {
      for (let k = digits; k < 6; k++) fractionUs *= 10;
      coarse = false;
      i = j;
    }
  }
  let zone = context.zone;
  if (line.startsWith(" UTC:", i) || line.startsWith(" GMT:", i)) {
    zone = "UTC";
    i += 4;
  }
  const late = year === null && line.charCodeAt(i) === 32 ? readYear(line, i + 1) : null;
  // "22:14:15 2001:db8::7" is followed by an address, not by a year
  const afterYear = line.charCodeAt(i + 5);
  if (late !== null && (afterYear === 32 || (afterYear === 58 && line.charCodeAt(i + 6) === 32))) {
    year = late;
    i += 5;
  }
  const text = line.slice(start, i);
  const end = stampEnd(line, i);
  if (end === null) return null;
  year ??= nearestYear(month, day, hour, minute, context);
  if (day > daysInMonth(year, month)) return null;
  const us = clockToInstant(zone, civilToUs(year, month, day, hour, minute, Math.min(second, 59), fractionUs));
  return { text, us, coarse, end };
}

function readIsoStamp(line: string, start: number, context: SyslogContext): DeviceStamp | null {
  const time = readRfc3339(line, start);
  if (time === null) return null;
  const end = stampEnd(line, time.end);
  if (end === null) return null;
  const us = time.offsetMinutes === null ? clockToInstant(context.zone, time.us) : time.us;
  return { text: line.slice(start, time.end), us, coarse: !time.hasFraction, end };
}

/** A stamp ends with a space, a colon and a space, or the end of the line. */
function stampEnd(line: string, at: number): number | null {
  if (at >= line.length) return at;
  if (line.charCodeAt(at) === 32) return at + 1;
  if (line.charCodeAt(at) === 58) return line.charCodeAt(at + 1) === 32 ? at + 2 : at + 1;
  return null;
}

function readYear(line: string, at: number): number | null {
  const century = twoDigits(line, at);
  const rest = twoDigits(line, at + 2);
  return (century === 19 || century === 20) && rest >= 0 ? century * 100 + rest : null;
}

/** Leap years are at most eight years apart (Gregorian calendar: 1896, 1904). */
const MAX_YEARS = 8;

/**
 * RFC 3164 names no year: take the one that puts the stamp nearest to arrival, so that 31 December received on
 * 1 January is last year's. What is read long after it was written is of the past: there the latest year that is not
 * ahead. 29 February needs a year that has one.
 */
function nearestYear(month: number, day: number, hour: number, minute: number, context: SyslogContext): number {
  const localUs = context.receivedUs + zoneOffsetUs(context.zone, context.receivedUs);
  const now = civilFromDays(Math.floor(localUs / US_PER_DAY));
  const latestUs = context.maxBehindUs === Number.POSITIVE_INFINITY ? localUs + US_PER_DAY : Number.POSITIVE_INFINITY;
  let best = now.year;
  let distance = Number.POSITIVE_INFINITY;
  for (let year = now.year - MAX_YEARS; year <= now.year + MAX_YEARS; year++) {
    if (day > daysInMonth(year, month)) continue;
    const us = civilToUs(year, month, day, hour, minute, 0);
    if (us > latestUs) break;
    const d = Math.abs(us - localUs);
    if (d < distance) {
      distance = d;
      best = year;
    }
  }
  return best;
}
