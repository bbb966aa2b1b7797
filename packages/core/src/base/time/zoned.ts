import { type EpochUs, formatUs, US_PER_MINUTE, US_PER_SECOND } from "./epoch.js";
import { zoneOffsetUs } from "./zone.js";

/** A moment as people in a zone read it, to the second and with how far the zone is from UTC: `2026-11-26 06:20:00 +01:00`. */
export function formatZoned(us: EpochUs, zone: string): string {
  const offset = zoneOffsetUs(zone, us);
  const minutes = Math.abs(Math.round(offset / US_PER_MINUTE));
  const two = (n: number) => String(n).padStart(2, "0");
  const clock = formatUs(Math.floor((us + offset) / US_PER_SECOND) * US_PER_SECOND)
    .slice(0, 19)
    .replace("T", " ");
  return `${clock} ${offset < 0 ? "-" : "+"}${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;
}
