import { type EpochUs, US_PER_MS, US_PER_SECOND } from "../../base/time/index.js";
import type { HalvikRecord } from "../record/index.js";
import { APPLIED_ABOVE_US } from "./clock-offset.js";
import type { SharedOffset } from "./shared-offsets.js";

/** When a record happened as far as clocks tell, and by how much that may be wrong either way; null: nothing is known of its clock. */
export interface CorrectedTime {
  readonly us: EpochUs;
  readonly uncertaintyUs: number | null;
}

/** The estimate of a clock takes the least delay on the way for a part of the offset (our own choice of a bound for it). */
const ESTIMATE_US = 100 * US_PER_MS;
/** What arrival says of when it happened: messages are sent within about a second (common practice, no source). */
const ARRIVAL_US = US_PER_SECOND;

/**
 * The moment of a record with its sender's clock put right, also by less than the 2 s from which stored times are (`docs/semantics.md` 49). For the order of a view only: what is
 * stored, and pages, go by `time`.
 * @param offsetUs arrival − device time of its sender as it is known now; null: unknown
 * @param ofFile how far its sender's clock was off in the file it came from, by what several senders of it told of; null: unknown
 */
export function correctedTime(
  record: Pick<HalvikRecord, "timeUs" | "timeReason" | "deviceTime" | "marks">,
  offsetUs: number | null,
  ofFile: Pick<SharedOffset, "offsetUs" | "uncertaintyUs"> | null = null,
): CorrectedTime {
  const { timeUs, timeReason } = record;
  // a file does not say how far its clocks were off, but for what several of its senders told of
  if (record.marks.includes("imported"))
    return ofFile === null
      ? { us: timeUs, uncertaintyUs: null }
      : { us: timeUs + ofFile.offsetUs, uncertaintyUs: resolutionUs(record.deviceTime) + ofFile.uncertaintyUs };
  switch (timeReason) {
    case "device":
      if (offsetUs === null || Math.abs(offsetUs) > APPLIED_ABOVE_US) return { us: timeUs, uncertaintyUs: null };
      return { us: timeUs + offsetUs, uncertaintyUs: resolutionUs(record.deviceTime) + ESTIMATE_US };
    case "corrected":
      return { us: timeUs, uncertaintyUs: resolutionUs(record.deviceTime) + ESTIMATE_US };
    default:
      return { us: timeUs, uncertaintyUs: ARRIVAL_US };
  }
}

/** Whether which of two came first is not told by their clocks; null: nothing is known of one of them. */
export function isOrderUncertain(a: CorrectedTime, b: CorrectedTime): boolean | null {
  if (a.uncertaintyUs === null || b.uncertaintyUs === null) return null;
  return Math.abs(a.us - b.us) <= a.uncertaintyUs + b.uncertaintyUs;
}

/** The least step of a stamp as it was written: a second without a fraction, else its last digit. */
function resolutionUs(stamp: string | null): number {
  if (stamp === null) return US_PER_MS;
  const fraction = /:\d{2}[.,](\d{1,9})/.exec(stamp)?.[1];
  return fraction === undefined ? US_PER_SECOND : Math.max(1, US_PER_SECOND / 10 ** Math.min(6, fraction.length));
}
