import {
  clockToInstant,
  type EpochUs,
  formatUs,
  US_PER_DAY,
  US_PER_MINUTE,
  weeklyWindowAt,
  zoneOffsetUs,
} from "../../base/time/index.js";
import { SEVERITIES, type Severity } from "../../model/record/index.js";
import type { NotifyRoute } from "./route.js";

/** Until when a message waits, and why. */
export interface Waits {
  readonly untilUs: EpochUs;
  readonly why: string;
}

/**
 * Whether a message that is due waits for the end of quiet hours or for the next digest; null: it goes now.
 * @param dueUs when it was to go: a digest after that takes it along
 */
export function waitsUntil(route: NotifyRoute, severity: Severity, dueUs: EpochUs, nowUs: EpochUs): Waits | null {
  if (route.breaks !== null && severity <= SEVERITIES.indexOf(route.breaks)) return null;
  const digestUs = digestAfter(route.digestAt, route.zone, dueUs);
  if (digestUs !== null && digestUs > nowUs)
    return { untilUs: digestUs, why: `for the digest of ${clockOf(digestUs, route.zone)}` };
  const quiet = weeklyWindowAt(route.quiet, nowUs, route.zone);
  return quiet === null
    ? null
    : { untilUs: quiet.untilUs, why: `quiet hours until ${clockOf(quiet.untilUs, route.zone)}` };
}

/** The first digest at or after a moment; null: there are none. A clock time that occurs twice is the first of them. */
function digestAfter(times: readonly string[], zone: string, us: EpochUs): EpochUs | null {
  if (times.length === 0) return null;
  const today = Math.floor((us + zoneOffsetUs(zone, us)) / US_PER_DAY);
  const moments = [today - 1, today, today + 1].flatMap((day) =>
    times.map((time) => clockToInstant(zone, day * US_PER_DAY + minutesOf(time) * US_PER_MINUTE)),
  );
  return Math.min(...moments.filter((m) => m >= us));
}

const minutesOf = (time: string): number => Number(time.slice(0, 2)) * 60 + Number(time.slice(3, 5));
const clockOf = (us: EpochUs, zone: string): string => formatUs(us + zoneOffsetUs(zone, us)).slice(11, 16);
