import fc from "fast-check";
import { readAmount, writeAmount } from "./written-amount";

test.each([
  [800_000_000, "800 MB"],
  [1_500_000_000, "1.5 GB"],
  [10, "10"],
  [120_000, "120000"],
  [0.25, "0.25"],
  [-3.5, "-3.5"],
  [1_234_567, "1234567"],
])("%d is %s", (n, text) => expect(writeAmount(n)).toBe(text));
test.each([
  ["800 MB", 8e8],
  ["800mb", 8e8],
  ["1.5G", 1.5e9],
  ["2 k", 2_000],
  ["12", 12],
  ["", null],
  ["MB", null],
  ["1e6", null],
  ["5 x", null],
])("%s is %p", (text, n) => expect(readAmount(text)).toBe(n));
test("what is written is read as the same", () =>
  fc.assert(
    fc.property(
      fc.oneof(
        fc.integer({ min: 0, max: 2 ** 50 }),
        fc.integer({ min: 0, max: 1e6 }).map((n) => n * 10_000),
      ),
      (n) => expect(readAmount(writeAmount(n))).toBeCloseTo(n, 3),
    ),
    { seed: 16 },
  ));
