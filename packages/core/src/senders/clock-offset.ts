import { type EpochUs, US_PER_SECOND } from "../time/index.js";

const SAMPLES = 200;
const MIN_SAMPLES = 20;
const RECOMPUTE_EVERY = 20;
const QUANTILE = 0.05;
const APPLIED_ABOVE_US = 2 * US_PER_SECOND;

/**
 * A sender's clock offset: the 5 % quantile of arrival − device time over its last 200 stamps. Delay only ever adds to
 * that difference, so a low quantile is the clock and a late burst does not move it (`semantics.md` 3).
 */
export class ClockOffset {
  private readonly ring = new Float64Array(SAMPLES);
  private count = 0;
  private estimateUs = 0;

  constructor(initialUs = 0) {
    this.estimateUs = initialUs;
  }

  observe(deviceUs: EpochUs, receivedUs: EpochUs): void {
    this.ring[this.count % SAMPLES] = receivedUs - deviceUs;
    this.count++;
    if (this.count >= MIN_SAMPLES && this.count % RECOMPUTE_EVERY === 0) {
      const sorted = this.ring.slice(0, Math.min(this.count, SAMPLES)).sort();
      this.estimateUs = sorted[Math.floor((sorted.length - 1) * QUANTILE)]!;
    }
  }

  /** The estimate itself, for people to see. */
  get us(): number {
    return this.estimateUs;
  }

  /** What is added to device time: nothing within 2 s. */
  get appliedUs(): number {
    return Math.abs(this.estimateUs) > APPLIED_ABOVE_US ? this.estimateUs : 0;
  }
}
