import fc from "fast-check";
import { shortNumber, thousands } from "./short-number.js";

test.each([
  [0, "0 B"],
  [7, "7 B"],
  [0.5, "0.50 B"],
  [12.34, "12.3 B"],
  [999, "999 B"],
  [999.4, "999 B"],
  // what rounds to a thousand is one of the next
  [999.6, "1.00 kB"],
  [1_000, "1 kB"],
  [1_234, "1.23 kB"],
  [99_940, "99.9 kB"],
  [99_950, "100 kB"],
  [999_499, "999 kB"],
  [999_500, "1.00 MB"],
  [61_200_000_000, "61.2 GB"],
  [1e18, "1 EB"],
  [5e21, "5000 EB"],
  [-1_234_567, "-1.23 MB"],
])("%d octets are %s", (n, said) => expect(shortNumber(n, "B")).toBe(said));

test("without a unit the prefix stands alone, and where there is none nothing does", () => {
  expect([shortNumber(1_500_000), shortNumber(12)]).toEqual(["1.50 M", "12"]);
});

test("it is within half of its last digit of what it stands for, and never says a thousand of anything", () => {
  fc.assert(
    fc.property(fc.double({ min: 0, max: 9e20, noNaN: true }), (n) => {
      const [digits, prefix = ""] = shortNumber(n).split(" ");
      const value = Number(digits) * 1_000 ** ["", "k", "M", "G", "T", "P", "E"].indexOf(prefix);
      expect(Math.abs(value - n)).toBeLessThanOrEqual(Math.max(0.00501, n * 0.00501));
      expect(Number(digits)).toBeLessThan(1_000);
    }),
  );
});

test.each([
  [0, "0"],
  [999, "999"],
  [1_234_567, "1,234,567"],
  [-1_000, "-1,000"],
])("%d is written %s", (n, said) => expect(thousands(n)).toBe(said));
