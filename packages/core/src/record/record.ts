import type { DecodeProblem } from "../bytes/index.js";
import type { EpochUs } from "../time/index.js";
import type { Action, Category, Mark, Outcome, RecordKind, TimeReason } from "./names.js";
import type { Severity } from "./severity.js";

/**
 * What any kind of record says, in one shape, so that filters, rules and screens need not ask the kind.
 * `null` and empty lists mean "the sender did not say". Addresses are canonical (`net/address.ts`).
 */
export interface RecordContent {
  readonly kind: RecordKind;
  /** The moment that orders and windows the record; chosen as `timeReason` says. */
  readonly timeUs: EpochUs;
  readonly receivedUs: EpochUs;
  readonly timeReason: TimeReason;
  /** The device's own time, as it was sent. */
  readonly deviceTime: string | null;
  /** The clock offset applied to the device time, in ms. */
  readonly clockOffsetMs: number;
  readonly severity: Severity;
  /** The severity as the kind expresses it, before the common scale. */
  readonly originalSeverity: string | null;
  readonly facility: number | null;
  readonly category: Category;
  readonly outcome: Outcome;
  readonly action: Action | null;
  readonly host: string | null;
  readonly app: string | null;
  readonly process: string | null;
  /** Message id, event id or object identifier: what the sender calls this sort of event. */
  readonly event: string | null;
  readonly users: readonly string[];
  readonly src: string | null;
  readonly dst: string | null;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
  readonly protocol: number | null;
  readonly interface: string | null;
  readonly bytes: number | null;
  readonly packets: number | null;
  /** Addresses named in the record that are neither source nor destination. */
  readonly otherAddresses: readonly string[];
  readonly text: string;
  /** Named values beyond the common ones, in the order sent; names may repeat. */
  readonly data: readonly (readonly [name: string, value: string])[];
  /** `head + text + tail` is the message as it arrived, unless `raw` is kept. */
  readonly head: string;
  readonly tail: string;
  /** The bytes themselves, where head, text and tail cannot give them back. */
  readonly raw: Uint8Array | null;
  readonly marks: readonly Mark[];
  readonly problem: DecodeProblem | null;
}

/** A stored record: content plus who sent it, through what, and its id (decimal, 63 bits). */
export interface HalvikRecord extends RecordContent {
  readonly id: string;
  readonly sender: number;
  readonly endpoint: string;
  /** The record this one is a copy of, by another path. */
  readonly copyOf: string | null;
}
