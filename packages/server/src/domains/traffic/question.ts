import type { TrafficAnswer } from "@halvik/contract/traffic";
import { formatUs, US_PER_DAY, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import type { Applications } from "@halvik/core/model/applications";
import type { SitesKnown, Stepped } from "@halvik/core/traffic";
import type * as z from "zod";
import type { MeterSet, SumsKept } from "../../store/traffic/read-sums.js";
import type { FlowScan } from "../../store/traffic/scan-flows.js";
import type { Metered } from "./scope.js";

export type MeasureName = "bytes" | "packets" | "flows";

/** What is asked, ready to be read. */
export interface Question {
  readonly metered: Metered;
  readonly fromUs: number;
  readonly toUs: number;
  readonly measure: MeasureName;
  /** From when on there are sums by the minute; and which others. */
  readonly minuteSinceUs: number;
  readonly kept: SumsKept;
  readonly behind: number;
  /** When the first of its exporters was heard first; Infinity: there are none. */
  readonly reportedSinceUs: number;
  readonly sites: SitesKnown;
  /** Exporters in it whose data waits for its template, as they are called. */
  readonly waiting: readonly string[];
  readonly applications: Applications;
  /** What a sender is called. */
  readonly nameOf: (sender: number) => string;
  /** A filter narrows it: goes through the flows it matches. Null: everything counts, and sums answer. */
  readonly scan: ((window: Window, summed: Stepped) => Promise<FlowScan>) | null;
}

interface Window {
  readonly fromUs: number;
  readonly toUs: number;
}

/** What is read for it. */
export const setOf = ({ metered, kept }: Question): MeterSet => ({
  meters: metered.meters,
  whole: metered.isEverything ? kept.derived : null,
});

export const FIVE = 5 * US_PER_MINUTE;
export const WEEK = 7 * US_PER_DAY;

/**
 * @param sumsUs of the steps it was made from; 0: of the flows themselves
 * @param reachedUs from when on all flows were looked at; null: all of the window
 */
export const asked = (
  q: Question,
  sumsUs: number,
  reachedUs: number | null = null,
): z.infer<typeof TrafficAnswer>["asked"] => ({
  from: formatUs(q.fromUs),
  to: formatUs(q.toUs),
  counted: q.metered.counted,
  exporters: new Set(q.metered.meters.map((m) => m.sender)).size - q.metered.silent.length,
  // of what is not summed yet nobody can say that it was not told
  silent: q.behind > 0 ? [] : q.metered.silent.map(q.nameOf),
  waiting: [...q.waiting],
  sums: Math.round(sumsUs / US_PER_SECOND),
  // who goes through the flows themselves waits for no sums
  behind: q.scan === null ? q.behind : 0,
  reached: reachedUs === null ? null : formatUs(reachedUs),
});

/** Where a step of five minutes has so many flows of an interface, its lists are kept. */
const BUSY_FLOWS = 300;
/** Whether steps of five minutes have lists, of so many flows by so many meters; else those of hours tell them. */
export const keepsLists = (flows: number, meters: number, spanUs: number): boolean =>
  flows >= BUSY_FLOWS * Math.max(1, meters) * (spanUs / FIVE);

/** Amounts that are added up. */
export interface Total {
  bytes: number;
  packets: number;
  flows: number;
}
export const nothing = (): Total => ({ bytes: 0, packets: 0, flows: 0 });
export const addTo = (total: Total, row: Total): void => {
  total.bytes += row.bytes;
  total.packets += row.packets;
  total.flows += row.flows;
};
