import type { EpochUs } from "../base/time/index.js";
import { BOUNDED, DIMENSIONS, type Dimension, valueIn } from "./dimensions.js";
import { NOTHING, OnceCounter, WHOLE } from "./once.js";
import { type FlowSeen, NO_INTERFACE, type Passage, passagesOf } from "./passage.js";
import type { Sites } from "./sites.js";
import { eachStep } from "./spread.js";
import { PassageValues, Scratch, WaitingAmounts } from "./waiting-amounts.js";

/**
 * What a sum counts. The order is stored. An interface's own meter goes before what others mention of it: an exporter that meters where traffic
 * comes in says of each flow by which interface it will leave.
 */
export const WAYS = ["in", "out", "in, mentioned", "out, mentioned", "once at the site", "once"] as const;
export type Way = (typeof WAYS)[number];

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

/** What is summed of one step, exporter, interface and way. */
export interface Group {
  readonly step: number;
  readonly sender: number;
  readonly interface: number;
  readonly way: number;
  estimated: number;
  rate: number;
  readonly byDimension: Map<string, Amounts>[];
  /** Its place among those for which amounts wait; negative: none do. */
  waits: number;
}

/** Values of a bounded dimension that one group keeps until it is written. */
const MOST_VALUES = 1_000;
/** Lanes and sites whose conversations are remembered, and how many of those in all. */
const MOST_COUNTERS = 60;
const MOST_CONVERSATIONS = 300_000;
const LEAST_CONVERSATIONS = 5_000;

/** How long a step is, and what is told apart in it. */
export interface Stepped {
  readonly widthUs: number;
  readonly dimensions: readonly Dimension[];
}

/** A width as it is summed: the places of what is told apart, and what is summed so far. */
interface Told {
  readonly widthUs: number;
  readonly places: readonly number[];
  groups: Groups;
  readonly waiting: WaitingAmounts;
  /** Groups for which amounts wait. */
  readonly waitFor: Group[];
}

const wayAt = (way: Way): number => WAYS.indexOf(way);
/** Whoever meters where traffic goes out mentions where it came in, and the other way round. */
const MENTIONED_IN = [wayAt("in, mentioned"), wayAt("out")] as const;
const MENTIONED_OUT = [wayAt("in"), wayAt("out, mentioned")] as const;
const ONCE_AT_SITE = wayAt("once at the site");
const ONCE = wayAt("once");
const ALL_WAYS: ReadonlySet<number> = new Set(WAYS.keys());

/** Sums flows step by step, by exporter, interface and way, by what is told apart in steps of each width. */
export class StepSums {
  private readonly levels: readonly Told[];
  /** Places of the dimensions that any level tells apart. */
  private readonly places: readonly number[];
  /** By lane and site; the lane that was added to last stands last. */
  private readonly counters = new Map<string, Map<string | null, OnceCounter>>();
  private countersHeld = 0;
  private lastLane: string | null = null;
  private held = 0;
  private readonly values = new PassageValues();
  private readonly scratch = new Scratch();

  /** @param ways only those are summed */
  constructor(
    private readonly sites: Sites,
    levels: readonly Stepped[],
    private readonly ways: ReadonlySet<number> = ALL_WAYS,
  ) {
    this.levels = levels.map(({ widthUs, dimensions }) => ({
      widthUs,
      places: dimensions.map((d) => DIMENSIONS.indexOf(d)),
      groups: new Map(),
      waiting: new WaitingAmounts(),
      waitFor: [],
    }));
    this.places = [...new Set(this.levels.flatMap((l) => l.places))];
  }

  /** @param lane flows that were heard together, or came by one import: each is counted once among its own */
  add(flow: FlowSeen, lane = ""): void {
    for (const p of passagesOf(flow)) {
      if (this.values.isFull || this.levels.some((l) => l.waiting.isFull)) this.addUp();
      const number = this.values.next();
      for (let i = 0; i < this.places.length; i++) {
        const place = this.places[i]!;
        this.values.set(place, valueIn(DIMENSIONS[place]!, p, this.sites));
      }
      const [wayIn, wayOut] = p.isMeteredAtEgress ? MENTIONED_IN : MENTIONED_OUT;
      if (this.ways.has(wayIn)) this.put(p, number, p.ingress, wayIn, WHOLE);
      if (this.ways.has(wayOut)) this.put(p, number, p.egress, wayOut, WHOLE);
      const site = this.ways.has(ONCE_AT_SITE) ? this.sites.ofExporter(p.sender) : null;
      if (site !== null) this.put(p, number, NO_INTERFACE, ONCE_AT_SITE, this.counter(lane, site).take(p));
      if (this.ways.has(ONCE)) this.put(p, number, NO_INTERFACE, ONCE, this.counter(lane, null).take(p));
    }
  }

  /** How many sums wait to be written, not counting hours and what came last: what it holds in memory goes by this. */
  get size(): number {
    return this.held;
  }

  private counter(lane: string, site: string | null): OnceCounter {
    let ofLane = this.counters.get(lane);
    if (lane !== this.lastLane || ofLane === undefined) {
      ofLane ??= new Map();
      this.counters.delete(lane);
      this.counters.set(lane, ofLane);
      this.lastLane = lane;
    }
    let counter = ofLane.get(site);
    if (counter === undefined) {
      // the lane of an import that is over is the oldest
      if (this.countersHeld >= MOST_COUNTERS) this.dropOldestCounter();
      counter = new OnceCounter(() =>
        Math.max(LEAST_CONVERSATIONS, Math.floor(MOST_CONVERSATIONS / this.countersHeld)),
      );
      ofLane.set(site, counter);
      this.countersHeld++;
    }
    return counter;
  }

  private dropOldestCounter(): void {
    for (const [lane, ofLane] of this.counters) {
      const oldest = ofLane.keys().next();
      if (oldest.done) continue;
      ofLane.delete(oldest.value);
      this.countersHeld--;
      if (ofLane.size === 0 && lane !== this.lastLane) this.counters.delete(lane);
      return;
    }
  }

  private put(p: Passage, number: number, iface: number, way: number, fromUs: EpochUs): void {
    if (fromUs === NOTHING) return;
    for (let i = 0; i < this.levels.length; i++) putIn(this.levels[i]!, p, number, iface, way, fromUs);
  }

  /** Adds up what waits. */
  private addUp(): void {
    for (const level of this.levels) {
      const { waiting, waitFor, places } = level;
      if (!waiting.isEmpty) {
        waiting.sort(waitFor.length);
        for (const place of places)
          waiting.addUp(
            this.values.column(place),
            this.values.count(place),
            this.scratch,
            (group, value, bytes, packets, flows) => {
              const text = this.values.text(place, value);
              if (addTo(waitFor[group]!, place, text, bytes, packets, flows)) this.held++;
            },
          );
      }
      waiting.clear();
      for (const group of waitFor) group.waits = -1;
      waitFor.length = 0;
    }
    this.values.clear();
  }

  /** Gives what has been summed, a width after the other, and begins anew; what is told of conversations stays. */
  take(): TrafficRow[][] {
    return this.takeGroups().map((groups) => rowsOf(allOf(groups)));
  }

  /** The same before it is made into rows. */
  takeGroups(): Groups[] {
    this.addUp();
    const taken = this.levels.map((l) => l.groups);
    for (const level of this.levels) level.groups = new Map();
    this.held = 0;
    return taken;
  }
}

function putIn(level: Told, p: Passage, number: number, iface: number, way: number, fromUs: EpochUs): void {
  const countIn = Math.floor(p.timeUs / level.widthUs);
  let isCounted = p.flows === 0;
  const add = (step: number, bytes: number, packets: number): void => {
    const group = groupOf(level.groups, step, p.sender, iface, way);
    if (p.isSampled) {
      group.estimated += bytes;
      group.rate = Math.max(group.rate, p.samplingRate);
    }
    const flows = !isCounted && step === countIn ? 1 : 0;
    if (group.waits < 0) group.waits = level.waitFor.push(group) - 1;
    level.waiting.add(group.waits, number, bytes, packets, flows);
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

const IS_BOUNDED = DIMENSIONS.map((d) => BOUNDED.has(d));

/** By step, then by exporter, interface and way. */
export type Groups = Map<number, Map<number | string, Group>>;

export function* allOf(groups: Groups): Generator<Group> {
  for (const ofStep of groups.values()) yield* ofStep.values();
}

const INTERFACES = 2 ** 20;
const WAY_SLOTS = 8;

export function groupOf(groups: Groups, step: number, sender: number, iface: number, way: number): Group {
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
      waits: -1,
    };
    ofStep.set(key, group);
  }
  return group;
}

/** @returns whether the value is new there */
export function addTo(
  group: Group,
  dimension: number,
  value: string,
  bytes: number,
  packets: number,
  flows: number,
): boolean {
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
  const sizes = new Float64Array(values.size);
  let whole = 0;
  let at = 0;
  for (const { bytes } of values.values()) {
    whole += bytes;
    sizes[at++] = bytes;
  }
  sizes.sort();
  const least = Math.max(part * whole, most < sizes.length ? sizes[sizes.length - most]! : Number.NEGATIVE_INFINITY);
  // of those that are as great as the least that stays, the first by name stay
  const equals: string[] = [];
  let greater = 0;
  for (const [value, { bytes }] of values)
    if (bytes > least) greater++;
    else if (bytes === least) equals.push(value);
  const stay = new Set(equals.sort().slice(0, Math.max(0, most - greater)));
  const greatest = { bytes: 0, packets: 0 };
  const kept: [string, Amounts][] = [];
  for (const [value, amounts] of values) {
    const { bytes, packets } = amounts;
    if (bytes > least || (bytes === least && stay.has(value))) {
      kept.push([value, amounts]);
      continue;
    }
    if (bytes > greatest.bytes || (bytes === greatest.bytes && packets > greatest.packets)) {
      greatest.bytes = bytes;
      greatest.packets = packets;
    }
    cut.flows++;
  }
  // most go: putting back what stays takes less than taking them out one by one
  if (kept.length < values.size) {
    values.clear();
    for (const [value, amounts] of kept) values.set(value, amounts);
  }
  cut.bytes += greatest.bytes;
  cut.packets += greatest.packets;
  if (cut.flows > 0) values.set(CUT, cut);
}

/** Adds values to others, for reading: what is new there is the same. What comes to nothing, because it was taken out again, is gone. */
export function mergeValues(
  into: Map<string, Readonly<Amounts>>,
  more: Iterable<readonly [string, Readonly<Amounts>]>,
): void {
  for (const [value, amounts] of more) {
    const known = into.get(value);
    const sum =
      known === undefined
        ? amounts
        : {
            bytes: known.bytes + amounts.bytes,
            packets: known.packets + amounts.packets,
            flows: known.flows + amounts.flows,
          };
    if (sum.bytes > 0 || sum.packets > 0 || sum.flows > 0) into.set(value, sum);
    else if (known !== undefined) into.delete(value);
  }
}
const NO_AMOUNTS: Amounts = { bytes: 0, packets: 0, flows: 0 };

/** As they are kept. */
export function rowsOf(groups: Iterable<Group>): TrafficRow[] {
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
