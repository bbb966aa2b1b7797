import { type EpochUs, US_PER_DAY, US_PER_MINUTE, US_PER_MS, US_PER_SECOND } from "../base/time/index.js";
import type { TimeReason } from "../model/record/index.js";

const MAX_AHEAD_US = 5 * US_PER_MINUTE;
const MAX_BEHIND_US = 7 * US_PER_DAY;
const COARSE_NEAR_US = 2 * US_PER_SECOND;

export interface ChosenTime {
  readonly timeUs: EpochUs;
  readonly reason: TimeReason;
  /** The offset applied, in ms; 0 when none was. */
  readonly clockOffsetMs: number;
}

/**
 * The moment that orders a record (`docs/semantics.md` 2): device time corrected by the sender's clock offset if that is at
 * most 5 minutes ahead of and 7 days behind arrival; a stamp of whole seconds within 2 s of arrival gives way to arrival.
 * @param deviceUs the instant the device names, or null
 * @param coarse the stamp has no fraction of a second
 * @param maxBehindUs for files read long after they were written: how old a record may be
 * @param clockOffsetUs arrival − device time of this sender, 0 when below the 2 s from which it is applied
 */
export function chooseTime(
  deviceUs: EpochUs | null,
  coarse: boolean,
  receivedUs: EpochUs,
  clockOffsetUs: number,
  maxBehindUs = MAX_BEHIND_US,
): ChosenTime {
  if (deviceUs === null) return { timeUs: receivedUs, reason: "arrival: no stamp", clockOffsetMs: 0 };
  const corrected = deviceUs + clockOffsetUs;
  const clockOffsetMs = Math.round(clockOffsetUs / US_PER_MS);
  const behindUs = receivedUs - corrected;
  if (-behindUs > MAX_AHEAD_US) return { timeUs: receivedUs, reason: "arrival: too far ahead", clockOffsetMs: 0 };
  // nothing that logs is older than the epoch it counts from
  if (behindUs > maxBehindUs || corrected < 0)
    return { timeUs: receivedUs, reason: "arrival: too far behind", clockOffsetMs: 0 };
  if (coarse && Math.abs(behindUs) <= COARSE_NEAR_US)
    return { timeUs: receivedUs, reason: "arrival: coarse stamp", clockOffsetMs };
  return { timeUs: corrected, reason: clockOffsetUs === 0 ? "device" : "corrected", clockOffsetMs };
}
