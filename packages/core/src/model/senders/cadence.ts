import { type EpochUs, US_PER_HOUR, US_PER_MINUTE, US_PER_MS } from "../../base/time/index.js";

/** Gap buckets: 2^n ms, n = 0 … 31 (1 ms … 24 days). The first is empty: what comes within a millisecond, as events of one request do, is one word. */
const BUCKETS = 32;
const FIRST = 1;
const HOURS = 24;
const MIN_GAPS = 30;
const QUANTILE = 0.999;
const SAFETY = 3;
const LEAST_BOUND_US = 5 * US_PER_MINUTE;

/** A cadence as it is kept. */
export interface SavedCadence {
  readonly counts: readonly number[];
  readonly lastUs: EpochUs | null;
}

/**
 * How often a sender speaks, learnt from the gaps between its records by hour of day in UTC (`docs/semantics.md` 12). The bound beyond which
 * it counts as silent is three times the upper edge of the 99.9 % gap of that hour and its neighbours, and never under 5 minutes.
 */
export class Cadence {
  /** Row = hour of day (UTC), column = gap bucket. */
  private readonly counts: Uint32Array;
  private lastUs: EpochUs | null = null;

  constructor(saved?: SavedCadence) {
    this.counts = Uint32Array.from(saved?.counts ?? new Array(HOURS * BUCKETS).fill(0));
    this.lastUs = saved?.lastUs ?? null;
  }

  /** Something arrived; what goes backwards (an older capture), or comes at the same moment, teaches nothing. */
  observe(receivedUs: EpochUs): void {
    if (this.lastUs !== null) {
      const gapUs = receivedUs - this.lastUs;
      if (gapUs <= US_PER_MS) return;
      const bucket = Math.min(BUCKETS - 1, Math.ceil(Math.log2(gapUs / US_PER_MS)));
      const cell = hourOf(receivedUs) * BUCKETS + bucket;
      this.counts[cell] = this.counts[cell]! + 1;
    }
    this.lastUs = receivedUs;
  }

  /** Silent when nothing came for this long, in µs; null while too little is known. */
  silenceBoundUs(nowUs: EpochUs): number | null {
    const hour = hourOf(nowUs);
    const near = [(hour + HOURS - 1) % HOURS, hour, (hour + 1) % HOURS];
    const edge = this.quantileUs(near, QUANTILE) ?? this.quantileUs([...Array(HOURS).keys()], QUANTILE);
    return edge === null ? null : Math.max(LEAST_BOUND_US, edge * SAFETY);
  }

  /** The usual gap (median), in µs; null while too little is known. */
  usualGapUs(): number | null {
    return this.quantileUs([...Array(HOURS).keys()], 0.5);
  }

  save(): SavedCadence {
    return { counts: [...this.counts], lastUs: this.lastUs };
  }

  /** What was learnt since the last call, to be added to what is kept. */
  takeLearnt(): SavedCadence {
    const learnt = this.save();
    this.counts.fill(0);
    return learnt;
  }

  /** What several collectors and imports learnt, together. */
  static sum(a: SavedCadence | null, b: SavedCadence): SavedCadence {
    if (a === null) return b;
    return {
      counts: b.counts.map((n, i) => n + (a.counts[i] ?? 0)),
      lastUs: Math.max(a.lastUs ?? 0, b.lastUs ?? 0) || null,
    };
  }

  private quantileUs(hours: readonly number[], quantile: number): number | null {
    const merged = new Array<number>(BUCKETS).fill(0);
    let total = 0;
    for (const hour of hours)
      for (let b = FIRST; b < BUCKETS; b++) {
        const n = this.counts[hour * BUCKETS + b]!;
        merged[b] = merged[b]! + n;
        total += n;
      }
    if (total < MIN_GAPS) return null;
    let seen = 0;
    for (let b = FIRST; b < BUCKETS; b++) {
      seen += merged[b]!;
      if (seen >= total * quantile) return 2 ** b * US_PER_MS;
    }
    return null;
  }
}

const hourOf = (us: EpochUs): number => Math.floor(us / US_PER_HOUR) % HOURS;
