import { type EpochUs, US_PER_MS, US_PER_SECOND } from "./epoch.js";
import { readRfc3339 } from "./rfc3339.js";
import { clockToInstant } from "./zone.js";

/**
 * A time as programs write it into a field: RFC 3339, or seconds or milliseconds since 1970 by their size.
 * @param zone IANA zone of times that name none
 * @returns null when the whole text is no such time
 */
export function writtenTime(text: string, zone: string): EpochUs | null {
  const time = readRfc3339(text);
  if (time !== null && time.end === text.length)
    return time.offsetMinutes === null ? clockToInstant(zone, time.us) : time.us;
  if (!/^\d{9,13}(\.\d{1,9})?$/.test(text)) return null;
  const n = Number(text);
  return Math.floor(n < 1e11 ? n * US_PER_SECOND : n * US_PER_MS);
}
