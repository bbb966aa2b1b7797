import type { DecodeProblem } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";

/** A syslog message taken apart. `head + text + tail` is the line it came from. */
export interface SyslogMessage {
  readonly format: "RFC 5424" | "RFC 3164" | "bare";
  /** 0–23, or null when no valid PRI came. */
  readonly facility: number | null;
  /** 0–7, or null when no valid PRI came. */
  readonly severity: number | null;
  /** The device's time as sent, and the instant it names (null: none, or not a time). */
  readonly deviceTime: string | null;
  readonly deviceUs: EpochUs | null;
  /** The stamp has no digits below a second. */
  readonly coarse: boolean;
  readonly host: string | null;
  readonly app: string | null;
  readonly process: string | null;
  readonly messageId: string | null;
  /** Structured data in the order sent: `id name` → value; names may repeat. */
  readonly data: readonly (readonly [name: string, value: string])[];
  readonly text: string;
  readonly head: string;
  readonly tail: string;
  readonly problem: DecodeProblem | null;
}

/** What the text alone does not say. */
export interface SyslogContext {
  readonly receivedUs: EpochUs;
  /** IANA zone of stamps that name none. */
  readonly zone: string;
  /** How old a message may be by its own stamp; infinite for files, whose stamps without a year are of the past. */
  readonly maxBehindUs?: number | undefined;
}
