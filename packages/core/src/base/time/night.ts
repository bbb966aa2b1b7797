import { type EpochUs, US_PER_DAY, US_PER_HOUR } from "./epoch.js";
import { clockToInstant, zoneOffsetUs } from "./zone.js";

/** A night, as those mean who ask for it in the morning. */
const FROM_HOUR = 20;
const TO_HOUR = 6;

/**
 * The last night, from 20 to 6 by the zone's clock: before 6 the one that is going on, which ends in time to come.
 * @param nightsBefore so many nights earlier
 */
export function nightOf(nowUs: EpochUs, zone: string, nightsBefore = 0): { fromUs: EpochUs; toUs: EpochUs } {
  const today = Math.floor((nowUs + zoneOffsetUs(zone, nowUs)) / US_PER_DAY) * US_PER_DAY;
  const morning = today - nightsBefore * US_PER_DAY;
  return {
    fromUs: clockToInstant(zone, morning - US_PER_DAY + FROM_HOUR * US_PER_HOUR),
    toUs: clockToInstant(zone, morning + TO_HOUR * US_PER_HOUR),
  };
}
