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

/** Sums as they are kept: of one step, exporter, interface, way and dimension, by value. */
export interface TrafficRow {
  readonly step: number;
  readonly sender: number;
  readonly interface: number;
  readonly way: number;
  readonly dimension: number;
  readonly values: ReadonlyMap<string, Amounts>;
  /** Of the bytes, those that a sampling exporter estimated; with the total only. */
  readonly estimated: number;
  /** The greatest sampling rate among them; 1: none sampled. */
  readonly rate: number;
}

/**
 * Stands for what of a dimension was not kept by itself: `bytes` is the most any value that was let go had, `flows` how many were let go. A
 * value that stands may have that much more.
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
/** Lanes and sites whose conversations are remembered, and how many of those in all. */
const MOST_COUNTERS = 60;
const MOST_CONVERSATIONS = 300_000;
const LEAST_CONVERSATIONS = 5_000;

/** Sums flows as they come, until they are written. Step by step, by exporter, interface and way, by every dimension. */
export class TrafficSums {
  private minutes: Groups = new Map();
  private fives: Groups = new Map();
  private readonly counters = new Map<string, OnceCounter>();
  private held = 0;

  /** @param siteOf the site of an exporter; null: none, or one where it is alone, so that its interfaces say the same */
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

  /** How many sums wait to be written, not counting hours: what it holds in memory goes by this. */
  get size(): number {
    return this.held;
  }

  private counter(lane: string, site: string | null): OnceCounter {
    const key = JSON.stringify([lane, site]);
    let counter = this.counters.get(key);
    if (counter === undefined) {
      counter = new OnceCounter(() =>
        Math.max(LEAST_CONVERSATIONS, Math.floor(MOST_CONVERSATIONS / this.counters.size)),
      );
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
    this.putIn(MINUTES, this.minutes, p, values, iface, way, fromUs);
    this.putIn(FIVES, this.fives, p, values, iface, way, fromUs);
  }

  private putIn(
    level: Told,
    groups: Groups,
    p: Passage,
    values: readonly (string | null)[],
    iface: number,
    way: number,
    fromUs: EpochUs,
  ): void {
    const countIn = Math.floor(p.timeUs / level.widthUs);
    let isCounted = p.flows === 0;
    const add = (step: number, bytes: number, packets: number): void => {
      const group = groupOf(groups, step, p.sender, iface, way);
      if (p.isSampled) {
        group.estimated += bytes;
        group.rate = Math.max(group.rate, p.samplingRate);
      }
      const flows = !isCounted && step === countIn ? 1 : 0;
      for (let i = 0; i < level.places.length; i++) {
        const at = level.places[i]!;
        const value = values[at]!;
        if (value !== null && addTo(group, at, value, bytes, packets, flows)) this.held++;
      }
      if (flows === 1) isCounted = true;
    };
    // most lie within one step
    const { startUs, endUs } = p.stretch;
    if (fromUs <= startUs && endUs < (countIn + 1) * level.widthUs && startUs >= countIn * level.widthUs)
      add(countIn, p.bytes, p.packets);
    else eachStep(p.stretch, fromUs, level.widthUs, p.bytes, p.packets, add);
    // it ends exactly where a step does: its bytes lie before it, it is counted in it
    if (!isCounted) add(countIn, 0, 0);
  }

  /** Gives what has been summed, level by level, and begins anew; what is told of conversations stays. */
  take(): { readonly level: Level; readonly rows: TrafficRow[] }[] {
    const { minutes, fives } = this;
    this.minutes = new Map();
    this.fives = new Map();
    this.held = 0;
    return [
      { level: LEVELS[0], rows: rowsOf(allOf(minutes)) },
      { level: LEVELS[1], rows: rowsOf(allOf(fives)) },
      { level: LEVELS[2], rows: rowsOf(inHours(allOf(fives))) },
    ];
  }
}

const DIMENSION_INDEX = Object.fromEntries(DIMENSIONS.map((d, i) => [d, i])) as Readonly<Record<Dimension, number>>;
const IS_BOUNDED = DIMENSIONS.map((d) => BOUNDED.has(d));

/** A level as it is summed: the places of what is told apart in it. */
interface Told {
  readonly widthUs: number;
  readonly places: readonly number[];
}
const toldOf = (level: Level): Told => ({
  widthUs: level.widthUs,
  places: level.dimensions.map((d) => DIMENSION_INDEX[d]),
});
const MINUTES = toldOf(LEVELS[0]);
const FIVES = toldOf(LEVELS[1]);

/** By step, then by exporter, interface and way. */
type Groups = Map<number, Map<number | string, Group>>;

function* allOf(groups: Groups): Generator<Group> {
  for (const ofStep of groups.values()) yield* ofStep.values();
}

const INTERFACES = 2 ** 20;
const WAY_SLOTS = 8;

function groupOf(groups: Groups, step: number, sender: number, iface: number, way: number): Group {
  let ofStep = groups.get(step);
  if (ofStep === undefined) {
    ofStep = new Map();
    groups.set(step, ofStep);
  }
  // a number costs less than a text; indexes of interfaces are mostly small
  const key =
    iface < INTERFACES - 1 ? (sender * WAY_SLOTS + way) * INTERFACES + iface + 1 : `${sender} ${iface} ${way}`;
  let group = ofStep.get(key);
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
    ofStep.set(key, group);
  }
  return group;
}

/** @returns whether the value is new there */
function addTo(group: Group, dimension: number, value: string, bytes: number, packets: number, flows: number): boolean {
  const values = group.byDimension[dimension]!;
  const known = values.get(value);
  if (known !== undefined) {
    known.bytes += bytes;
    known.packets += packets;
    known.flows += flows;
    return false;
  }
  values.set(value, { bytes, packets, flows });
  if (IS_BOUNDED[dimension] && values.size > 2 * MOST_VALUES) letGo(values);
  return true;
}

/** Keeps the greatest values and notes how great the greatest of the others was. */
function letGo(values: Map<string, Amounts>): void {
  boundValues(values, MOST_VALUES, 0);
}

/**
 * Keeps of a bounded dimension the greatest values, each of at least a part of them all, and notes what went. One that is let go again may have
 * been let go before: what it lost each time adds up.
 */
export function boundValues(values: Map<string, Amounts>, most: number, part: number): void {
  const cut = { ...(values.get(CUT) ?? NO_AMOUNTS) };
  values.delete(CUT);
  let whole = 0;
  for (const { bytes } of values.values()) whole += bytes;
  const sorted = [...values].sort((a, b) => b[1].bytes - a[1].bytes || (a[0] < b[0] ? -1 : 1));
  let place = Math.min(most, sorted.length);
  while (place > 0 && sorted[place - 1]![1].bytes < part * whole) place--;
  cut.bytes += sorted[place]?.[1].bytes ?? 0;
  cut.packets += sorted[place]?.[1].packets ?? 0;
  for (const [value] of sorted.slice(place)) {
    values.delete(value);
    cut.flows++;
  }
  if (cut.flows > 0) values.set(CUT, cut);
}

/** Adds values to others. What comes to nothing, because it was taken out again, is gone. */
export function mergeValues(into: Map<string, Amounts>, more: Iterable<readonly [string, Amounts]>): void {
  for (const [value, { bytes, packets, flows }] of more) {
    const known = into.get(value) ?? NO_AMOUNTS;
    const sum = { bytes: known.bytes + bytes, packets: known.packets + packets, flows: known.flows + flows };
    if (sum.bytes > 0 || sum.packets > 0 || sum.flows > 0) into.set(value, sum);
    else into.delete(value);
  }
}
const NO_AMOUNTS: Amounts = { bytes: 0, packets: 0, flows: 0 };

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

function rowsOf(groups: Iterable<Group>): TrafficRow[] {
  const rows: TrafficRow[] = [];
  for (const { step, sender, interface: iface, way, estimated, rate, byDimension } of groups)
    for (const [dimension, values] of byDimension.entries()) {
      if (values.size === 0) continue;
      if (IS_BOUNDED[dimension] && values.size > MOST_VALUES) letGo(values);
      const isTotal = dimension === 0;
      rows.push({
        step,
        sender,
        interface: iface,
        way,
        dimension,
        values,
        estimated: isTotal ? estimated : 0,
        rate: isTotal ? rate : 1,
      });
    }
  return rows;
}
