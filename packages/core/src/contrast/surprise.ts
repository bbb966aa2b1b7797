/** Σ O ln(O / E) of one cell: nothing where nothing was observed. */
const cell = (observed: number, expected: number): number =>
  observed === 0 ? 0 : observed * Math.log(observed / expected);

/**
 * The log-likelihood ratio G² of two counts being parts of their totals by chance alone: 2 Σ O ln(O / E) over the four cells (Dunning, Accurate
 * Methods for the Statistics of Surprise and Coincidence, Computational Linguistics 19(1), 1993, section 4). Distributed as χ² with one degree
 * of freedom where there is no difference.
 * @param a of `totalA`; @param b of `totalB`
 */
export function surpriseOfShares(a: number, totalA: number, b: number, totalB: number): number {
  const total = totalA + totalB;
  if (total === 0) return 0;
  const share = (a + b) / total;
  const rest = 1 - share;
  const sum =
    cell(a, totalA * share) +
    cell(b, totalB * share) +
    (rest <= 0 ? 0 : cell(totalA - a, totalA * rest) + cell(totalB - b, totalB * rest));
  return Math.max(0, 2 * sum);
}

/**
 * The same of two counts over lengths of time at one rate: the likelihood ratio of two Poisson rates (Przyborowski and Wilenski, Biometrika 31, 1940, for
 * the conditional distribution).
 * @param lengthA over which `a` were counted, in the same unit as `lengthB`
 */
export function surpriseOfRates(a: number, lengthA: number, b: number, lengthB: number): number {
  const length = lengthA + lengthB;
  if (length <= 0) return 0;
  const all = a + b;
  return Math.max(0, 2 * (cell(a, (all * lengthA) / length) + cell(b, (all * lengthB) / length)));
}

/**
 * How likely χ² with one degree of freedom is at least this: the complementary error function of √(x / 2), by the approximation of Press et al.,
 * Numerical Recipes, section 6.2 (fractional error below 1.2 · 10⁻⁷).
 */
export function chanceOf(g2: number): number {
  const x = Math.sqrt(g2 / 2);
  const t = 1 / (1 + x / 2);
  const terms = [
    -1.26551223, 1.00002368, 0.37409196, 0.09678418, -0.18628806, 0.27886807, -1.13520398, 1.48851587, -0.82215223,
    0.17087277,
  ];
  const polynomial = terms.reduceRight((sum, c) => sum * t + c, 0);
  return Math.min(1, t * Math.exp(-x * x + polynomial));
}

/**
 * Chances corrected for how many are compared: the share of false ones among those at most as likely (Benjamini and Hochberg, Journal of the
 * Royal Statistical Society B 57(1), 1995, section 3). In the order given.
 */
export function corrected(chances: readonly number[]): number[] {
  const order = chances.map((_, i) => i).sort((x, y) => chances[x]! - chances[y]!);
  const out = new Array<number>(chances.length);
  let least = 1;
  for (let rank = order.length; rank >= 1; rank--) {
    const i = order[rank - 1]!;
    least = Math.min(least, (chances[i]! * chances.length) / rank);
    out[i] = least;
  }
  return out;
}
