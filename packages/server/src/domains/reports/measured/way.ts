import type { Measured } from "@halvik/contract/reports";
import { type EpochUs, type Step, stepsOf } from "@halvik/core/base/time";
import type { Count } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import type { Clock, MeasureAsked } from "@halvik/core/query/measure";
import type { Unit, Window } from "@halvik/core/report";
import type { Queryable } from "../../../kernel/db/pool.js";
import { AppError } from "../../../kernel/http/errors.js";
import type { MeasuredRecords } from "../../../store/measure-records.js";
import type { Ask } from "../../records/questions.js";
import type { TrafficNeeds } from "./measure-traffic.js";

const MOST_STEPS = 800;
const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

/** What a measure is asked over. */
export interface MeasureScope {
  readonly window: Window;
  /** The period before, where it is to be compared. */
  readonly before: Window | null;
  readonly zone: string;
  readonly step: Step | null;
  readonly nowUs: EpochUs;
  readonly budgetMs: number;
  /** Senders a report is asked for; null: all. */
  readonly senders: readonly number[] | null;
}

/** What measuring works with. */
export interface MeasureNeeds {
  readonly db: Queryable;
  readonly ask: Ask;
  readonly senders: SenderDirectory;
  /** When the first record there is happened; null: there is none. */
  readonly firstUs: () => Promise<EpochUs | null>;
  /** How the sums of traffic are read. */
  readonly traffic: {
    /** Days that sums by the minute, and by five, are kept. */
    readonly minuteDays: number;
    readonly fiveDays: number;
    readonly interfaceNames: () => Promise<TrafficNeeds["interfaceName"]>;
  };
  /** Reads a filter as who asks may write it. */
  readonly read: (text: string, window: Window) => Promise<Filter>;
}

/** What of a measure was estimated, and in which rows; the total has no keys. */
export interface Estimate {
  readonly value: Count | null;
  readonly keys: ReadonlySet<string>;
}

/** How one kind of measure is made and told. */
export interface Way extends Pick<MeasureAsked, "order" | "top"> {
  /** What of it was estimated from samples; null: nothing. */
  readonly estimatedIn: (window: Window) => Promise<Estimate | null>;
  readonly by: MeasureAsked["by"];
  readonly measure: (window: Window) => Promise<MeasuredIn>;
  readonly rates: ((value: Count, seconds: number) => number) | null;
  readonly labelOf: (grouping: number, key: string) => string;
  /** What finds the records of a row; null: no filter does. */
  readonly filterOf: (keys: readonly string[]) => string | null;
  readonly filter: string | null;
  /** What was asked of, in words; of what was measured. */
  readonly reading: () => string;
  readonly addsUp: boolean;
  readonly isOfNow: boolean;
}

export type MeasuredIn = Omit<MeasuredRecords, "source" | "searched"> & {
  readonly source: Measured["source"];
  readonly steps: readonly EpochUs[];
};

export function stepsWithin({ fromUs, toUs }: Window, step: Step, zone: string): EpochUs[] {
  try {
    return stepsOf(fromUs, toUs, step, zone, MOST_STEPS);
  } catch (e) {
    throw new AppError("BAD_REQUEST", `step: ${(e as Error).message} in the period; choose a longer one`, {
      field: "step",
    });
  }
}

/** By the second: octets are told in bits. @param unit what it is counted in */
export function bySecond(unit: Unit): (value: Count, seconds: number) => number {
  const factor = unit === "bytes" ? 8 : 1;
  return (value, seconds) => (Number(value) * factor) / seconds;
}

export const labelOfClock = (clock: Clock, key: string): string =>
  clock === "day of week" ? DAYS[Number(key)]! : `${key}:00`;

export const percent = (part: Count, all: Count | null): number | null =>
  all === null || Number(all) === 0 ? null : (100 * Number(part)) / Number(all);
