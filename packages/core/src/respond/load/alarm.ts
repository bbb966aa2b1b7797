import type { EpochUs } from "../../base/time/index.js";
import type { Severity } from "../../model/record/index.js";

/** Something that called for a person: an incident that was raised, or a message that reached somebody. */
export interface Alarm {
  readonly atUs: EpochUs;
  readonly severity: Severity;
  /** The same again has the same: a rule and its key. */
  readonly what: string;
  /** Where it comes from, as people count it: a rule and the device that reported. */
  readonly source: string;
  /** When it was over; null: it lasts. */
  readonly endedUs: EpochUs | null;
}
