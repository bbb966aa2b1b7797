import { logPart, rateOf, sayAmount, sayRate, sayUtilisation, ticks } from "./amounts";

test.each<[number, "bytes" | "packets", string]>([
  [0, "bytes", "0 B"],
  [999, "bytes", "999 B"],
  [1_000, "bytes", "1 kB"],
  [9_994, "bytes", "9.99 kB"],
  [9_996, "bytes", "10.0 kB"],
  [61_000_000_000, "bytes", "61 GB"],
  [640_000_000, "bytes", "640 MB"],
  [14_206, "packets", "14.2 k"],
])("%d of %s is said %s", (n, measure, said) => expect(sayAmount(n, measure)).toBe(said));

test("bytes go by in bits, packets one by one", () => {
  expect(rateOf(7_500_000, "bytes", 60)).toBe(1_000_000);
  expect(sayRate(1_000_000, "bytes")).toBe("1 Mb/s");
  expect(sayRate(rateOf(6_000, "packets", 60), "packets")).toBe("100/s");
  expect(sayRate(0.25, "flows")).toBe("0.25/s");
});

test.each([
  [100, 4, [50, 100]],
  [71, 4, [20, 40, 60]],
  [0, 4, []],
  [3, 3, [1, 2, 3]],
])("the scale up to %d in %d steps", (most, count, want) => expect(ticks(most, count)).toEqual(want));

test("a logarithmic scale begins four decades below the most", () => {
  expect([1e6, 1e5, 1e2, 1, 0].map((n) => logPart(n, 1e6))).toEqual([1, 0.75, 0, 0, 0]);
});

test("how full a link is: the mean of the steps and the fullest, each way", () => {
  // a minute at 8 Mb/s is 60 MB
  const steps = [{ whole: [60e6, 0] }, { whole: [0, 0.3e6] }];
  expect(sayUtilisation(steps, 60, 100e6)).toBe("in 4 %, at most 8 % · out < 1 %, at most < 1 %");
  expect(sayUtilisation([], 60, 100e6)).toBe("in 0 %, at most 0 % · out 0 %, at most 0 %");
});
