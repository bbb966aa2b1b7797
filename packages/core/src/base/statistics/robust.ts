/** The middle value; of an even number, the mean of the two in the middle. Needs at least one value. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const half = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2;
}

/** Φ⁻¹(3/4): makes the median absolute deviation an estimate of σ (Iglewicz and Hoaglin 1993; NIST handbook 1.3.5.17). */
const NORMAL_QUARTILE = 0.6745;
/** √(π/2): the same for the mean absolute deviation, where more than half of the samples are equal. */
const MEAN_DEVIATION = 1.253314;

/**
 * The modified z-score 0.6745 · (x − median) / MAD of a value against samples; Iglewicz and Hoaglin call |M| > 3.5 an outlier. Where
 * the MAD is 0 the mean absolute deviation stands in for it; where all samples are equal, any other value is infinitely far.
 */
export function modifiedZ(x: number, samples: readonly number[]): { z: number; median: number; spread: number } {
  const middle = median(samples);
  const deviations = samples.map((s) => Math.abs(s - middle));
  const mad = median(deviations);
  const mean = deviations.reduce((a, b) => a + b, 0) / deviations.length;
  const spread = mad > 0 ? mad / NORMAL_QUARTILE : mean * MEAN_DEVIATION;
  const away = x - middle;
  return { z: spread > 0 ? away / spread : away === 0 ? 0 : Math.sign(away) * Infinity, median: middle, spread };
}
