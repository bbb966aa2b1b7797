import type { Measure } from "@halvik/core/query/measure";
import type { WindowParts } from "../../data/api";

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
