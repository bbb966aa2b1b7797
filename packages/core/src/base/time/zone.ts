import { tzOffset } from "@date-fns/tz";
import { type EpochUs, US_PER_HOUR, US_PER_MINUTE, US_PER_MS } from "./epoch.js";

const QUARTER_US = 15 * US_PER_MINUTE;
const MAX_CACHED_QUARTERS = 20_000;
const cache = new Map<string, Map<number, number>>();

/** True for a zone of the IANA database (and `UTC`). */
export function isZone(zone: string): boolean {
  return zone === "UTC" || !Number.isNaN(tzOffset(zone, dateOf(0)));
}

/** Offset of `zone` from UTC at an instant, in µs, east positive. Zone changes fall on whole quarter-hours. */
export function zoneOffsetUs(zone: string, us: EpochUs): number {
  if (zone === "UTC") return 0;
  let quarters = cache.get(zone);
  if (quarters === undefined) {
    quarters = new Map();
    cache.set(zone, quarters);
  }
  const quarter = Math.floor(us / QUARTER_US);
  let offset = quarters.get(quarter);
  if (offset === undefined) {
    if (quarters.size >= MAX_CACHED_QUARTERS) quarters.clear();
    offset = tzOffset(zone, dateOf(quarter * QUARTER_US)) * US_PER_MINUTE;
    quarters.set(quarter, offset);
  }
  return offset;
}

/**
 * The instant at which clocks in `zone` show `clockUs` (a reading taken as UTC). A reading that occurs twice
 * (clocks set back) gives the first instant; one that does not occur is read with the offset before the change.
 */
export function clockToInstant(zone: string, clockUs: EpochUs): EpochUs {
  const before = zoneOffsetUs(zone, clockUs - 12 * US_PER_HOUR);
  const first = clockUs - before;
  if (zoneOffsetUs(zone, first) === before) return first;
  const second = clockUs - zoneOffsetUs(zone, first);
  return zoneOffsetUs(zone, second) === zoneOffsetUs(zone, first) ? second : first;
}

// biome-ignore lint/style/noRestrictedGlobals: the zone library takes a Date; it is made from an argument, not from a clock
const dateOf = (us: EpochUs) => new Date(us / US_PER_MS);
