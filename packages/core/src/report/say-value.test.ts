import fc from "fast-check";
import { MeasureAsked } from "../query/measure/index.js";
import type { Unit } from "./say-measure.js";
import { sayChange, sayOwn, sayRough, sayValue } from "./say-value.js";

test.each([
  [null, "bytes", "–"],
  [0, "bytes", "0 B"],
  [61_200_000_000, "bytes", "61.2 GB"],
  // whole numbers beyond 2^53 come as text
  ["9223372036854775807", "bytes", "9.22 EB"],
  [2_500_000, "bits/s", "2.50 Mb/s"],
  [999_999, "", "999,999"],
  [1_000_000, "", "1 M"],
  [0.126, "", "0.126"],
  [123.6, "", "124"],
  [-1_234, "", "-1,234"],
  [12.3, "records/s", "12.3/s"],
  [4_000_000, "records/s", "4 M/s"],
  [0, "%", "0.0 %"],
  [0.04, "%", "< 0.1 %"],
  [12.34, "%", "12.3 %"],
  [0.5, "s", "0.5 s"],
  [119.4, "s", "119 s"],
  [120, "s", "2 min"],
  [7_200, "s", "2.0 h"],
  [172_800, "s", "2.0 d"],
] as [number | string | null, Unit, string][])("%s of %s is %s", (value, unit, said) =>
  expect(sayValue(value, unit)).toBe(said),
);

test.each([
  ["nothing is known of before", 5, undefined, null],
  ["the same", 5, 5, "as before"],
  ["so little that it is the same", 10_000, 10_001, "as before"],
  ["nothing, and nothing before", 0, null, "as before"],
  ["there was none", 5, 0, "new"],
  ["there was none, it is said", 5, null, "new"],
  ["there is none", 0, 5, "gone"],
  ["there is no value", null, 5, "gone"],
  ["a little more", 105, 100, "+5 %"],
  ["with a tenth below ten", 101.26, 100, "+1.3 %"],
  ["half", 50, 100, "−50 %"],
  ["nine times more", 1_000, 100, "× 10"],
  ["not quite that", 999, 100, "+899 %"],
  ["from below nothing", 10, -10, "+200 %"],
  ["further below", -20, -10, "−100 %"],
  ["of long numbers as text", "30000000000000000000", "20000000000000000000", "+50 %"],
] as [string, number | string | null, number | null | undefined, string | null][])(
  "against before: %s",
  (_what, now, before, said) => expect(sayChange(now, before)).toBe(said),
);

test("the sign of a change is that of the change", () => {
  const amount = fc.integer({ min: 1, max: 1e9 });
  fc.assert(
    fc.property(amount, amount, (now, before) => {
      const said = sayChange(now, before)!;
      if (said === "as before") expect(Math.abs(now - before) / before).toBeLessThan(0.0006);
      else expect(said.startsWith("−")).toBe(now < before);
    }),
  );
});

test.each([
  [null, "records", "–"],
  [12_345, "records", "12,345"],
  [0.5, "%", "0.5 %"],
  [90, "s", "90 s"],
  [3.04, "days", "3.0 days"],
] as const)("of Halvik's own, %s %s is %s", (value, unit, said) => expect(sayOwn(value, unit)).toBe(said));

test.each([
  [12.5, "≈: estimated from samples by the exporters, 12.5 % of all."],
  [0, "≈: estimated from samples by the exporters."],
])("what was estimated says that, and of how much: %s %%", (estimated, said) => {
  expect(sayRough({ estimated, asked: MeasureAsked.parse({}) })).toBe(said);
});
