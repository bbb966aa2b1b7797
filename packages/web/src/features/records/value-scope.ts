import type { Measure } from "@halvik/core/query/measure";
import type { WindowParts } from "../../data/api";

/** Fields in the order in which they are usually asked for. */
export const VALUE_FIELDS = [
  "severity",
  "sender",
  "kind",
  "category",
  "outcome",
  "app",
  "event",
  "action",
  "user",
  "host",
  "src",
  "dst",
  "dst port",
  "src port",
  "protocol",
  "interface",
  "policy",
  "log",
  "facility",
  "process",
  "application",
  "mark",
  "problem",
] as const;

/** What is counted, and how a click narrows it. */
export interface ValueScope {
  readonly window: WindowParts;
  /** The window it is compared with, if there is one. */
  readonly compared: WindowParts | null;
  readonly filter: string;
  readonly zone: string;
  readonly measure: Measure;
  readonly onOnly: (part: string) => void;
  readonly onWithout: (part: string) => void;
}
