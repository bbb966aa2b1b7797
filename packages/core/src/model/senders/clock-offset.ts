import { type EpochUs, US_PER_MINUTE, US_PER_SECOND } from "../../base/time/index.js";

const SAMPLES = 200;
const MIN_SAMPLES = 20;
const RECOMPUTE_EVERY = 10;
const QUANTILE = 0.05;
/** An offset within it changes no stored time (`docs/semantics.md` 3). */
export const APPLIED_ABOVE_US = 2 * US_PER_SECOND;
/** However many arrive in a minute, so many of them are heard: those that took the least time. */
const PER_MINUTE = 10;
/** Stamps of fewer minutes than this say how late things are, not how the clock goes. */
const MIN_MINUTES = 5;

/**
 * A sender's clock offset: the 5 % quantile of arrival − device time over its last 200 stamps, at most ten of a minute of arrival.
 * Delay only ever adds to that difference, so a low quantile is the clock, and a late burst does not move it however large it is: a
 * forwarder that catches up after an hour brings hundreds of stamps in a minute (`docs/semantics.md` 3).
 */
export class ClockOffset {
  private readonly ring = new Float64Array(SAMPLES);
  private count = 0;
  private minute = Number.NaN;
  private minutes = 0;
  private ofMinute = 0;
  private estimateUs = 0;

  constructor(initialUs = 0) {
    this.estimateUs = initialUs;
  }

  observe(deviceUs: EpochUs, receivedUs: EpochUs): void {
    const minute = Math.floor(receivedUs / US_PER_MINUTE);
    if (minute !== this.minute) {
      this.minute = minute;
      this.minutes++;
      this.ofMinute = 0;
    }
    const difference = receivedUs - deviceUs;
    if (this.ofMinute === PER_MINUTE) {
      this.replaceSlowest(difference);
      return;
    }
    this.ring[this.count % SAMPLES] = difference;
    this.ofMinute++;
    this.count++;
    if (this.count >= MIN_SAMPLES && this.minutes >= MIN_MINUTES && this.count % RECOMPUTE_EVERY === 0) {
      const sorted = this.ring.slice(0, Math.min(this.count, SAMPLES)).sort();
      this.estimateUs = sorted[Math.floor((sorted.length - 1) * QUANTILE)]!;
    }
  }

  /** In place of this minute's greatest, if it is less. */
  private replaceSlowest(difference: number): void {
    let slowest = (this.count - 1) % SAMPLES;
    for (let i = 2; i <= PER_MINUTE; i++) {
      const at = (this.count - i) % SAMPLES;
      if (this.ring[at]! > this.ring[slowest]!) slowest = at;
    }
    if (difference < this.ring[slowest]!) this.ring[slowest] = difference;
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
