import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "../base/time/index.js";
import { DIMENSIONS, type Dimension } from "./dimensions.js";
import type { FlowSeen } from "./passage.js";
import type { Sites } from "./sites.js";
import { addTo, allOf, type Group, type Groups, groupOf, rowsOf, StepSums, type TrafficRow } from "./step-sums.js";

/** Levels of sums, finest first: how long a step is, and what is told apart in it. The order is stored: it only grows. */
export const LEVELS = [
  { name: "minute", widthUs: US_PER_MINUTE, dimensions: ["total", "application"] },
  { name: "five", widthUs: 5 * US_PER_MINUTE, dimensions: DIMENSIONS },
  { name: "hour", widthUs: US_PER_HOUR, dimensions: DIMENSIONS },
  // made of hours that are over
  { name: "day", widthUs: US_PER_DAY, dimensions: DIMENSIONS },
] as const satisfies readonly { name: string; widthUs: number; dimensions: readonly Dimension[] }[];
export type Level = (typeof LEVELS)[number];

/** Sums flows as they come, until they are written: by every level, of every way. */
export class TrafficSums {
  private readonly steps: StepSums;

  constructor(sites: Sites) {
    this.steps = new StepSums(sites, [LEVELS[0], LEVELS[1]]);
  }

  /** @param lane flows that were heard together, or came by one import: each is counted once among its own */
  add(flow: FlowSeen, lane = ""): void {
    this.steps.add(flow, lane);
  }

  /** How many sums wait to be written, not counting hours: what it holds in memory goes by this. */
  get size(): number {
    return this.steps.size;
  }

  /** Gives what has been summed, level by level, and begins anew; what is told of conversations stays. */
  take(): { readonly level: Level; readonly rows: TrafficRow[] }[] {
    const [minutes, fives] = this.steps.takeGroups();
    return [
      { level: LEVELS[0], rows: rowsOf(allOf(minutes!)) },
      { level: LEVELS[1], rows: rowsOf(allOf(fives!)) },
      { level: LEVELS[2], rows: rowsOf(inHours(allOf(fives!))) },
    ];
  }
}

function inHours(fives: Iterable<Group>): Iterable<Group> {
  const hours: Groups = new Map();
  const perHour = LEVELS[2].widthUs / LEVELS[1].widthUs;
  for (const five of fives) {
    const hour = groupOf(hours, Math.floor(five.step / perHour), five.sender, five.interface, five.way);
    hour.estimated += five.estimated;
    hour.rate = Math.max(hour.rate, five.rate);
    for (const [dimension, values] of five.byDimension.entries())
      for (const [value, { bytes, packets, flows }] of values) addTo(hour, dimension, value, bytes, packets, flows);
  }
  return allOf(hours);
}
