import { type EpochUs, US_PER_HOUR, US_PER_MINUTE } from "../base/time/index.js";
import { BOUNDED, DIMENSIONS, type Dimension, valuesOf } from "./dimensions.js";
import { NOTHING, OnceCounter, WHOLE } from "./once.js";
import { type FlowSeen, NO_INTERFACE, type Passage, passagesOf } from "./passage.js";
import { eachStep } from "./spread.js";

/**
 * What a sum counts. The order is stored. An interface's own meter goes before what others mention of it: an exporter that meters where traffic
 * comes in says of each flow by which interface it will leave.
 */
export const WAYS = ["in", "out", "in, mentioned", "out, mentioned", "once at the site", "once"] as const;
export type Way = (typeof WAYS)[number];

/** Levels of sums, finest first: how long a step is, and what is told apart in it. */
export const LEVELS = [
  { name: "minute", widthUs: US_PER_MINUTE, dimensions: ["total", "application"] },
  { name: "five", widthUs: 5 * US_PER_MINUTE, dimensions: DIMENSIONS },
  { name: "hour", widthUs: US_PER_HOUR, dimensions: DIMENSIONS },
] as const satisfies readonly { name: string; widthUs: number; dimensions: readonly Dimension[] }[];
export type Level = (typeof LEVELS)[number];

/** What is summed of one value in one step. */
export interface Amounts {
  bytes: number;
  packets: number;
  flows: number;
}

/** A sum as it is kept. */
export interface TrafficSum extends Amounts {
  readonly step: number;
  readonly sender: number;
  readonly interface: number;
  readonly way: number;
  readonly dimension: number;
  readonly value: string;
  /** Of the bytes, those that a sampling exporter estimated; with the total only. */
  readonly estimated: number;
  /** The greatest sampling rate among them; 1: none sampled. */
  readonly rate: number;
}

/**
 * What of a dimension was not kept by itself: `bytes` is the most any value that was let go had, `flows` how many values were. A value that
 * stands may have that much more.
 */
export const CUT = "\u2026";

interface Group {
  readonly step: number;
  readonly sender: number;
  readonly interface: number;
  readonly way: number;
  estimated: number;
  rate: number;
  readonly byDimension: Map<string, Amounts>[];
}

/** Values of a bounded dimension that one group keeps until it is written. */
const MOST_VALUES = 1_000;
/** Lanes and sites whose conversations are remembered. */
const MOST_COUNTERS = 60;

/** Sums flows as they come, until they are written. Step by step, by exporter, interface and way, by every dimension. */
export class TrafficSums {
  private minutes = new Map<string, Group>();
  private fives = new Map<string, Group>();
  private readonly counters = new Map<string, OnceCounter>();

  /** @param siteOf the site of an exporter; null: none */
  constructor(private readonly siteOf: (sender: number) => string | null) {}

  /** @param lane flows that were heard together, or came by one import: each is counted once among its own */
  add(flow: FlowSeen, lane = ""): void {
    for (const p of passagesOf(flow)) {
      const values = valuesOf(p);
      this.put(p, values, p.ingress, p.isMeteredAtEgress ? 2 : 0, WHOLE);
      this.put(p, values, p.egress, p.isMeteredAtEgress ? 1 : 3, WHOLE);
      const site = this.siteOf(p.sender);
      if (site !== null) this.put(p, values, NO_INTERFACE, 4, this.counter(lane, site).take(p));
      this.put(p, values, NO_INTERFACE, 5, this.counter(lane, null).take(p));
    }
  }

  get isEmpty(): boolean {
    return this.fives.size === 0;
  }

  private counter(lane: string, site: string | null): OnceCounter {
    const key = JSON.stringify([lane, site]);
    let counter = this.counters.get(key);
    if (counter === undefined) {
      counter = new OnceCounter();
      this.counters.set(key, counter);
      // the lane of an import that is over is the oldest
      if (this.counters.size > MOST_COUNTERS) this.counters.delete(this.counters.keys().next().value!);
    } else if (this.counters.size > 1) {
      this.counters.delete(key);
      this.counters.set(key, counter);
    }
    return counter;
  }

  private put(p: Passage, values: readonly (string | null)[], iface: number, way: number, fromUs: EpochUs): void {
    if (fromUs === NOTHING) return;
    const estimated = p.isSampled;
    const counted = p.flows === 1;
    const countStep = (widthUs: number) => Math.floor(p.timeUs / widthUs);
    for (const [level, groups] of [
      [LEVELS[0], this.minutes],
      [LEVELS[1], this.fives],
    ] as const) {
      const countIn = countStep(level.widthUs);
      let isCounted = !counted;
      const add = (step: number, bytes: number, packets: number) => {
        const group = groupOf(groups, step, p.sender, iface, way);
        if (estimated) {
          group.estimated += bytes;
          group.rate = Math.max(group.rate, p.samplingRate);
        }
        const flows = counted && step === countIn ? 1 : 0;
        if (flows === 1) isCounted = true;
        for (const d of level.dimensions) {
          const at = DIMENSION_INDEX[d];
          const value = values[at];
          if (value !== null && value !== undefined) addTo(group, at, value, bytes, packets, flows);
        }
      };
      eachStep(p.stretch, fromUs, level.widthUs, p.bytes, p.packets, add);
      // it ends exactly where a step does: its bytes lie before it, it is counted in it
      if (!isCounted) add(countIn, 0, 0);
    }
  }

  /** Gives what has been summed, level by level, and begins anew; what is told of conversations stays. */
  take(): { readonly level: Level; readonly sums: TrafficSum[] }[] {
    const { minutes, fives } = this;
    this.minutes = new Map();
    this.fives = new Map();
    return [
      { level: LEVELS[0], sums: sumsOf(minutes.values()) },
      { level: LEVELS[1], sums: sumsOf(fives.values()) },
      { level: LEVELS[2], sums: sumsOf(inHours(fives.values())) },
    ];
  }
}

const DIMENSION_INDEX = Object.fromEntries(DIMENSIONS.map((d, i) => [d, i])) as Readonly<Record<Dimension, number>>;
const IS_BOUNDED = DIMENSIONS.map((d) => BOUNDED.has(d));

function groupOf(groups: Map<string, Group>, step: number, sender: number, iface: number, way: number): Group {
  const key = `${step} ${sender} ${iface} ${way}`;
  let group = groups.get(key);
  if (group === undefined) {
    group = {
      step,
      sender,
      interface: iface,
      way,
      estimated: 0,
      rate: 1,
      byDimension: DIMENSIONS.map(() => new Map()),
    };
    groups.set(key, group);
  }
  return group;
}

function addTo(group: Group, dimension: number, value: string, bytes: number, packets: number, flows: number): void {
  const values = group.byDimension[dimension]!;
  const known = values.get(value);
  if (known !== undefined) {
    known.bytes += bytes;
    known.packets += packets;
    known.flows += flows;
    return;
  }
  values.set(value, { bytes, packets, flows });
  if (IS_BOUNDED[dimension] && values.size > 2 * MOST_VALUES) letGo(values);
}

/** Keeps the greatest values and notes how great the greatest of the others was. */
function letGo(values: Map<string, Amounts>): void {
  const cut = values.get(CUT) ?? { bytes: 0, packets: 0, flows: 0 };
  values.delete(CUT);
  const sorted = [...values].sort((a, b) => b[1].bytes - a[1].bytes || (a[0] < b[0] ? -1 : 1));
  // one that is let go again may have been let go before: what it lost each time adds up
  cut.bytes += sorted[MOST_VALUES]?.[1].bytes ?? 0;
  for (const [value] of sorted.slice(MOST_VALUES)) {
    values.delete(value);
    cut.flows++;
  }
  values.set(CUT, cut);
}

function inHours(fives: Iterable<Group>): Iterable<Group> {
  const hours = new Map<string, Group>();
  const perHour = LEVELS[2].widthUs / LEVELS[1].widthUs;
  for (const five of fives) {
    const hour = groupOf(hours, Math.floor(five.step / perHour), five.sender, five.interface, five.way);
    hour.estimated += five.estimated;
    hour.rate = Math.max(hour.rate, five.rate);
    for (const [dimension, values] of five.byDimension.entries())
      for (const [value, { bytes, packets, flows }] of values) addTo(hour, dimension, value, bytes, packets, flows);
  }
  return hours.values();
}

function sumsOf(groups: Iterable<Group>): TrafficSum[] {
  const sums: TrafficSum[] = [];
  for (const { step, sender, interface: iface, way, estimated, rate, byDimension } of groups)
    for (const [dimension, values] of byDimension.entries()) {
      if (IS_BOUNDED[dimension] && values.size > MOST_VALUES) letGo(values);
      for (const [value, amounts] of values)
        sums.push({
          step,
          sender,
          interface: iface,
          way,
          dimension,
          value,
          ...amounts,
          estimated: dimension === 0 ? estimated : 0,
          rate: dimension === 0 ? rate : 1,
        });
    }
  return sums;
}
