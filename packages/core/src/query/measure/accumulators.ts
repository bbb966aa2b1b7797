import { LogHistogram } from "../../base/statistics/index.js";
import { addCounts, type Count } from "../../model/record/index.js";
import type { Accumulated } from "./asked.js";

/** What one record brings to a figure: a number, or values to tell apart. */
export type Brought = { readonly number: Count | null } | { readonly values: readonly string[] };

/** Collects what the records of one group bring. */
export interface Accumulator {
  /** @param times how many records bring it; more than one at a time come only where nothing but records is counted */
  add(brought: Brought, times: number): void;
  /** Null where no record brought anything. */
  readonly value: Count | null;
  /** Whether the value is right to the last digit. */
  readonly exact: boolean;
}

/** So many numbers are kept as they are; of more, quantiles are those of buckets (±2.5 %). */
const EXACT_QUANTILES = 5_000;
/** Different values told apart in one group; of more it is said that there are at least so many. */
const MOST_DISTINCT = 100_000;

/** What all accumulators of a measure may keep together: numbers for quantiles, values to tell apart. */
export class Room {
  private left = 2_000_000;
  /** @returns whether there is room for one more */
  take(): boolean {
    return this.left-- > 0;
  }
}

class Records implements Accumulator {
  private count = 0;
  readonly exact = true;
  add(_: Brought, times: number): void {
    this.count += times;
  }
  get value(): Count {
    return this.count;
  }
}

class Sum implements Accumulator {
  private sum: Count | null = null;
  readonly exact = true;
  add(brought: Brought): void {
    const number = numberOf(brought);
    if (number === null) return;
    const before = this.sum ?? 0;
    this.sum = isWhole(before) && isWhole(number) ? addCounts(before, number) : Number(before) + Number(number);
  }
  get value(): Count | null {
    return this.sum;
  }
}

class Average implements Accumulator {
  private sum = 0;
  private count = 0;
  readonly exact = true;
  add(brought: Brought): void {
    const number = numberOf(brought);
    if (number === null) return;
    this.sum += Number(number);
    this.count++;
  }
  get value(): Count | null {
    return this.count === 0 ? null : this.sum / this.count;
  }
}

class Extreme implements Accumulator {
  private found: Count | null = null;
  readonly exact = true;
  constructor(private readonly isBetter: (a: Count, b: Count) => boolean) {}
  add(brought: Brought): void {
    const number = numberOf(brought);
    if (number !== null && (this.found === null || this.isBetter(number, this.found))) this.found = number;
  }
  get value(): Count | null {
    return this.found;
  }
}

/** By the nearest rank: the smallest value that so many do not exceed. Of many numbers, what is not above 0 counts as 0. */
class Quantile implements Accumulator {
  private few: number[] | null = [];
  private readonly many = new LogHistogram();
  private notPositive = 0;
  constructor(
    private readonly q: number,
    private readonly room: Room,
  ) {}
  add(brought: Brought): void {
    const number = numberOf(brought);
    if (number === null) return;
    if (this.few === null) {
      this.intoBuckets(Number(number));
      return;
    }
    this.few.push(Number(number));
    if (this.few.length <= EXACT_QUANTILES && this.room.take()) return;
    for (const kept of this.few) this.intoBuckets(kept);
    this.few = null;
  }
  private intoBuckets(value: number): void {
    if (value > 0) this.many.add(value);
    else this.notPositive++;
  }
  get value(): Count | null {
    if (this.few !== null) return nearestRank(this.few, this.q);
    const rank = Math.max(1, Math.ceil(this.q * (this.notPositive + this.many.count)));
    return rank <= this.notPositive ? 0 : this.many.quantile((rank - this.notPositive) / this.many.count);
  }
  get exact(): boolean {
    return this.few !== null;
  }
}

class Distinct implements Accumulator {
  private readonly values = new Set<string>();
  private full = false;
  constructor(private readonly room: Room) {}
  add(brought: Brought): void {
    if (!("values" in brought)) return;
    for (const value of brought.values) {
      if (this.values.has(value)) continue;
      if (this.values.size < MOST_DISTINCT && this.room.take()) this.values.add(value);
      else this.full = true;
    }
  }
  get value(): Count {
    return this.values.size;
  }
  get exact(): boolean {
    return !this.full;
  }
}

const QUANTILES = { p50: 0.5, p95: 0.95, p99: 0.99 } as const;

export function accumulatorFor({ of }: Accumulated, room: Room): Accumulator {
  switch (of) {
    case "records":
      return new Records();
    case "sum":
      return new Sum();
    case "average":
      return new Average();
    case "least":
      return new Extreme((a, b) => a < b);
    case "greatest":
      return new Extreme((a, b) => a > b);
    case "p50":
    case "p95":
    case "p99":
      return new Quantile(QUANTILES[of], room);
    case "distinct":
      return new Distinct(room);
  }
}

function nearestRank(values: readonly number[], q: number): number | null {
  if (values.length === 0) return null;
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.max(1, Math.ceil(q * sorted.length)) - 1]!;
}

const numberOf = (brought: Brought): Count | null => ("number" in brought ? brought.number : null);
const isWhole = (count: Count): boolean => typeof count === "bigint" || (Number.isSafeInteger(count) && count >= 0);
