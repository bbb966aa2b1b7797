/** Neighbouring buckets differ by so much: a quantile is at most half of it off. */
const GROWTH = 1.05;
const LOG_GROWTH = Math.log(GROWTH);
/** Less is counted as this much. */
const LEAST = 1e-3;

/** Quantiles of positive numbers in bounded room: counted in buckets that each are 5 % wider than the one before, so that a quantile is right within 2.5 %. */
export class LogHistogram {
  private readonly buckets = new Map<number, number>();
  count = 0;

  add(value: number): void {
    const bucket = Math.round(Math.log(Math.max(value, LEAST) / LEAST) / LOG_GROWTH);
    this.buckets.set(bucket, (this.buckets.get(bucket) ?? 0) + 1);
    this.count++;
  }

  /** @param q between 0 and 1 @returns null where nothing was counted */
  quantile(q: number): number | null {
    if (this.count === 0) return null;
    // nearest rank: the smallest value that so many do not exceed
    let left = Math.max(1, Math.ceil(q * this.count));
    const sorted = [...this.buckets].sort((a, b) => a[0] - b[0]);
    for (const [bucket, n] of sorted) {
      left -= n;
      if (left <= 0) return LEAST * GROWTH ** bucket;
    }
    return null;
  }
}
