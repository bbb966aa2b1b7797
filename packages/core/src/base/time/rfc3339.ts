import { civilToUs, daysInMonth, type EpochUs, US_PER_MINUTE } from "./epoch.js";

export interface Rfc3339Time {
  /** The instant; with `offsetMinutes` null, the clock reading taken as UTC. */
  readonly us: EpochUs;
  /** Offset as written, or null where the text names no zone. */
  readonly offsetMinutes: number | null;
  readonly hasFraction: boolean;
  /** Index after the last character of the time. */
  readonly end: number;
}

/** Two digits as a number, or -1. */
export function twoDigits(text: string, at: number): number {
  const a = text.charCodeAt(at) - 48;
  const b = text.charCodeAt(at + 1) - 48;
  return a >= 0 && a <= 9 && b >= 0 && b <= 9 ? a * 10 + b : -1;
}

/**
 * Reads `YYYY-MM-DDThh:mm:ss[.fraction][Z|±hh:mm]` at `start` (RFC 3339 section 5.6; a space for the T and a
 * missing zone are accepted, as seen in practice). Digits beyond microseconds are cut. A leap second counts as :59.
 * @returns null when the text is no such time, or names a day or hour that does not exist
 */
export function readRfc3339(text: string, start = 0): Rfc3339Time | null {
  const century = twoDigits(text, start);
  const yearOfCentury = twoDigits(text, start + 2);
  const month = twoDigits(text, start + 5);
  const day = twoDigits(text, start + 8);
  const hour = twoDigits(text, start + 11);
  const minute = twoDigits(text, start + 14);
  const second = twoDigits(text, start + 17);
  if (century < 0 || yearOfCentury < 0 || month < 1 || month > 12 || hour < 0 || hour > 23) return null;
  if (minute < 0 || minute > 59 || second < 0 || second > 60) return null;
  const separator = text[start + 10];
  if (text[start + 4] !== "-" || text[start + 7] !== "-" || text[start + 13] !== ":" || text[start + 16] !== ":")
    return null;
  if (separator !== "T" && separator !== "t" && separator !== " ") return null;
  const year = century * 100 + yearOfCentury;
  if (day < 1 || day > daysInMonth(year, month)) return null;

  let end = start + 19;
  let fractionUs = 0;
  let hasFraction = false;
  if (text[end] === "." || text[end] === ",") {
    let digits = 0;
    let at = end + 1;
    for (; ; at++) {
      const d = text.charCodeAt(at) - 48;
      if (!(d >= 0 && d <= 9)) break;
      if (digits < 6) fractionUs = fractionUs * 10 + d;
      digits++;
    }
    if (digits === 0) return null;
    for (let i = digits; i < 6; i++) fractionUs *= 10;
    hasFraction = true;
    end = at;
  }
  let offsetMinutes: number | null = null;
  const zone = text[end];
  if (zone === "Z" || zone === "z") {
    offsetMinutes = 0;
    end += 1;
  } else if (zone === "+" || zone === "-") {
    const hours = twoDigits(text, end + 1);
    const colon = text[end + 3] === ":" ? 1 : 0;
    const minutes = twoDigits(text, end + 3 + colon);
    if (hours < 0 || hours > 23 || minutes < 0 || minutes > 59) return null;
    offsetMinutes = (zone === "-" ? -1 : 1) * (hours * 60 + minutes);
    end += 5 + colon;
  }
  const clock = civilToUs(year, month, day, hour, minute, Math.min(second, 59), fractionUs);
  return { us: clock - (offsetMinutes ?? 0) * US_PER_MINUTE, offsetMinutes, hasFraction, end };
}
