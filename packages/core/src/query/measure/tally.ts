import { type EpochUs, US_PER_DAY, US_PER_HOUR, zoneOffsetUs } from "../../base/time/index.js";
import type { Count } from "../../model/record/index.js";
import { type Accumulator, accumulatorFor, type Brought, Room } from "./accumulators.js";
import type { Accumulated, Clock } from "./asked.js";

/** A row of an answer: what its records have in common, and what was measured of them. */
export interface MeasuredRow {
  /** By grouping, in their order. */
  readonly keys: readonly string[];
  readonly value: Count | null;
  readonly exact: boolean;
  /** Records in it. */
  readonly records: number;
  /** By step, where there are steps; null: nothing in it. */
  readonly steps: readonly (Count | null)[];
}

export interface Measured {
  /** In no order. */
  readonly rows: readonly MeasuredRow[];
  /** Of every record once, whatever it is told apart by. */
  readonly total: MeasuredRow;
  /** More groups, or steps of groups, came than are kept: what was measured is that of the newest records. */
  readonly full: boolean;
}

const NOTHING: Brought = { number: null };
/** Groups and their steps kept at once. */
const MOST_KEPT = 200_000;

/**
 * Measures records as they come, in any order. A record that has several values of a grouping counts under each, and once in the total; one that
 * has none of it counts in the total alone.
 */
export class Tally {
  private readonly groups = new Map<string, Group>();
  private readonly total: Group;
  private readonly room = new Room();
  private kept = 0;
  private isFull = false;

  /** @param steps their beginnings, ascending, and the end of the last; null: there are none */
  constructor(
    private readonly figure: Accumulated,
    private readonly steps: readonly EpochUs[] | null = null,
  ) {
    this.total = this.newGroup([]);
  }

  get full(): boolean {
    return this.isFull;
  }

  /**
   * @param atUs when; told apart by steps
   * @param keys by grouping, the values it has
   * @param times how many records there are of it
   */
  add(atUs: EpochUs, keys: readonly (readonly string[])[], brought: Brought, times = 1): void {
    const step = this.steps === null ? null : stepOf(this.steps, atUs);
    if (step === -1) return;
    this.into(this.total, step, brought, times);
    if (keys.length === 0) return;
    for (const first of keys[0]!)
      if (keys.length === 1) this.intoGroup([first], step, brought, times);
      else for (const second of keys[1]!) this.intoGroup([first, second], step, brought, times);
  }

  /** Records of a group counted elsewhere; they are not in the total. For counts of records without steps. */
  count(keys: readonly string[], times: number): void {
    this.intoGroup(keys, null, NOTHING, times);
  }

  /** Records counted elsewhere, for the total alone. */
  countAll(times: number): void {
    this.into(this.total, null, NOTHING, times);
  }

  result(): Measured {
    return {
      rows: [...this.groups.values()].map((g) => this.row(g)),
      total: this.row(this.total),
      full: this.isFull,
    };
  }

  private intoGroup(keys: readonly string[], step: number | null, brought: Brought, times: number): void {
    const name = keys.length === 1 ? keys[0]! : `${keys[0]!.length}:${keys[0]}${keys[1]}`;
    let group = this.groups.get(name);
    if (group === undefined) {
      if (this.kept >= MOST_KEPT) {
        this.isFull = true;
        return;
      }
      group = this.newGroup(keys);
      this.groups.set(name, group);
    }
    this.into(group, step, brought, times);
  }

  private into(group: Group, step: number | null, brought: Brought, times: number): void {
    group.records += times;
    group.all.add(brought, times);
    if (step === null) return;
    let ofStep = group.steps.get(step);
    if (ofStep === undefined) {
      if (this.kept >= MOST_KEPT) {
        this.isFull = true;
        return;
      }
      this.kept++;
      ofStep = accumulatorFor(this.figure, this.room);
      group.steps.set(step, ofStep);
    }
    ofStep.add(brought, times);
  }

  private newGroup(keys: readonly string[]): Group {
    this.kept++;
    return { keys, records: 0, all: accumulatorFor(this.figure, this.room), steps: new Map() };
  }

  private row({ keys, records, all, steps }: Group): MeasuredRow {
    const of =
      this.steps === null ? [] : Array.from({ length: this.steps.length - 1 }, (_, i) => steps.get(i)?.value ?? null);
    return { keys, records, value: all.value, exact: all.exact, steps: of };
  }
}

interface Group {
  readonly keys: readonly string[];
  records: number;
  readonly all: Accumulator;
  readonly steps: Map<number, Accumulator>;
}

/** In which step a moment lies; -1: in none. */
function stepOf(steps: readonly EpochUs[], atUs: EpochUs): number {
  let [low, high] = [0, steps.length - 1];
  if (high < 1 || atUs < steps[0]! || atUs >= steps[high]!) return -1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (steps[middle]! <= atUs) low = middle;
    else high = middle;
  }
  return low;
}

/** Where the clock of a zone stands at a moment: the hour in two digits, or the day of the week, 0 for Monday. */
export function clockValue(clock: Clock, atUs: EpochUs, zone: string): string {
  const local = atUs + zoneOffsetUs(zone, atUs);
  // west of Greenwich the first hours of 1970 are of the year before: devices without a clock begin there
  if (clock === "hour of day") return String((Math.floor(local / US_PER_HOUR) + 24) % 24).padStart(2, "0");
  // 1970-01-01 was a Thursday
  return String((Math.floor(local / US_PER_DAY) + 3) % 7);
}
