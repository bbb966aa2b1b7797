/** Mean and standard deviation (n − 1) of samples. */
export function meanAndDeviation(samples: readonly number[]): { mean: number; deviation: number } {
  const mean = samples.reduce((a, b) => a + b, 0) / samples.length;
  const squares = samples.reduce((a, b) => a + (b - mean) ** 2, 0);
  return { mean, deviation: samples.length > 1 ? Math.sqrt(squares / (samples.length - 1)) : 0 };
}

/** EWMA_t = λ·x + (1 − λ)·EWMA_{t−1} (NIST handbook 6.3.2.4). */
export const nextEwma = (before: number, x: number, lambda: number): number => lambda * x + (1 - lambda) * before;

/** Half the distance between the control limits of an EWMA: k · s · √(λ / (2 − λ)) (NIST handbook 6.3.2.4). */
export const ewmaReach = (deviation: number, lambda: number, k: number): number =>
  k * deviation * Math.sqrt(lambda / (2 - lambda));

export interface Cusum {
  readonly high: number;
  readonly low: number;
}

/**
 * The tabular CUSUM: S_hi = max(0, S_hi + x − target − k), S_lo = max(0, S_lo + target − k − x); out of control when one exceeds h
 * (NIST handbook 6.3.2.3). `k` and the sums are in the units of x.
 */
export const nextCusum = (before: Cusum, x: number, target: number, k: number): Cusum => ({
  high: Math.max(0, before.high + x - target - k),
  low: Math.max(0, before.low + target - k - x),
});
