import fc from "fast-check";
import * as reference from "simple-statistics";
import {
  type Cusum,
  ewmaReach,
  LogHistogram,
  meanAndDeviation,
  median,
  modifiedZ,
  nextCusum,
  nextEwma,
} from "./index.js";

const samples = fc.array(fc.double({ min: -1e6, max: 1e6, noNaN: true }), { minLength: 2, maxLength: 60 });

test("median, mean, deviation and MAD agree with the library simple-statistics", () => {
  fc.assert(
    fc.property(samples, (xs) => {
      expect(median(xs)).toBeCloseTo(reference.median(xs), 6);
      const { mean, deviation } = meanAndDeviation(xs);
      expect(mean).toBeCloseTo(reference.mean(xs), 6);
      expect(deviation).toBeCloseTo(reference.sampleStandardDeviation(xs), 4);
      const mad = reference.medianAbsoluteDeviation(xs);
      if (mad > 1e-6) expect(modifiedZ(xs[0]!, xs).spread).toBeCloseTo(mad / 0.6745, 3);
    }),
    { seed: 1, numRuns: 300 },
  );
});

// NIST/SEMATECH e-Handbook 6.3.2.4, "EWMA control charts": the example with λ = 0.3, k = 3, target 50, s = 2.0539 (values from memory)
test("EWMA: the worked example of the NIST handbook", () => {
  const data = [
    52.0, 47.0, 53.0, 49.3, 50.1, 47.0, 51.0, 50.1, 51.2, 50.5, 49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6,
    52.1,
  ];
  const want = [
    50.6, 49.52, 50.56, 50.18, 50.16, 49.21, 49.75, 49.85, 50.26, 50.33, 50.11, 49.36, 49.52, 50.05, 49.38, 49.92,
    50.73, 51.23, 51.94, 51.99,
  ];
  let ewma = 50;
  for (const [i, x] of data.entries()) {
    ewma = nextEwma(ewma, x, 0.3);
    expect(Math.abs(ewma - want[i]!)).toBeLessThan(0.0101);
  }
  const reach = ewmaReach(2.0539, 0.3, 3);
  expect([50 + reach, 50 - reach].map((v) => v.toFixed(4))).toEqual(["52.5884", "47.4116"]);
});

// NIST/SEMATECH e-Handbook 6.3.2.3, "CUSUM control charts": target 325, k = 0.3175, h = 4.1959 (values from memory)
test("CUSUM: the worked example of the NIST handbook is out of control at group 14", () => {
  const data = [
    324.925, 324.675, 324.725, 324.35, 325.35, 325.225, 324.125, 324.525, 325.225, 324.6, 324.625, 325.15, 328.325,
    327.25, 327.825, 328.5, 326.675, 327.775, 326.875, 328.35,
  ];
  let sums: Cusum = { high: 0, low: 0 };
  const high: number[] = [];
  const low: number[] = [];
  for (const x of data) {
    sums = nextCusum(sums, x, 325, 0.3175);
    high.push(sums.high);
    low.push(sums.low);
  }
  expect(high.slice(12).map((s) => s.toFixed(2))).toEqual([
    "3.01",
    "4.94",
    "7.45",
    "10.63",
    "11.99",
    "14.44",
    "16.00",
    "19.04",
  ]);
  expect(low[6]!.toFixed(2)).toBe("0.56");
  expect(high.findIndex((s) => s > 4.1959)).toBe(13);
});

// Iglewicz and Hoaglin 1993, in NIST/SEMATECH e-Handbook 1.3.5.17: |M| > 3.5 is an outlier; data of common practice, no source
test("modified z-score: an outlier stands out, the rest does not; equal samples", () => {
  const xs = [2.1, 2.6, 2.4, 2.5, 2.3, 2.1, 2.3, 2.6, 8.2, 8.3];
  const far = xs.filter((x) => Math.abs(modifiedZ(x, xs).z) > 3.5);
  expect(far).toEqual([8.2, 8.3]);
  expect(modifiedZ(8.2, xs)).toMatchObject({ median: 2.45, z: expect.closeTo((0.6745 * (8.2 - 2.45)) / 0.15, 6) });
  expect(modifiedZ(5, [5, 5, 5])).toMatchObject({ z: 0, spread: 0 });
  expect(modifiedZ(6, [5, 5, 5]).z).toBe(Number.POSITIVE_INFINITY);
  // more than half are equal: the mean deviation stands in
  expect(modifiedZ(9, [0, 0, 0, 4]).spread).toBeCloseTo(1.253314, 6);
});

test("quantiles of a histogram are those of the numbers, within half a bucket (nearest rank)", () => {
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: 0.001, max: 1e6, noNaN: true }), { minLength: 1, maxLength: 200 }),
      fc.constantFrom(0.01, 0.5, 0.95, 1),
      (numbers, q) => {
        const histogram = new LogHistogram();
        for (const n of numbers) histogram.add(n);
        const exact = [...numbers].sort((a, b) => a - b)[Math.max(1, Math.ceil(q * numbers.length)) - 1]!;
        expect(Math.abs(histogram.quantile(q)! / exact - 1)).toBeLessThan(0.026);
      },
    ),
  );
  expect(new LogHistogram().quantile(0.5)).toBeNull();
});
