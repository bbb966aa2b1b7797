import fc from "fast-check";
import { chiSquaredDistributionTable, cumulativeStdNormalProbability } from "simple-statistics";
import { randomFrom } from "../testing/random.js";
import { contrast } from "./index.js";
import { chanceOf, corrected, surpriseOfRates, surpriseOfShares } from "./surprise.js";

describe("G²", () => {
  // Dunning 1993, table in section 5: k(AB), k(~A B), k(A ~B), k(~A ~B) of bigrams, and −2 log λ (values from memory)
  test.each([["the swiss", 110, 2_442, 111, 29_114, 270.72]])("of %s", (_what, ab, notAb, aNotB, neither, want) => {
    expect(surpriseOfShares(ab, ab + notAb, aNotB, aNotB + neither)).toBeCloseTo(want, 2);
  });

  test("by hand: 2 Σ O ln(O/E) of the four cells", () => {
    const [a, ta, b, tb] = [30, 100, 10, 100];
    const want =
      2 * (30 * Math.log(30 / 20) + 10 * Math.log(10 / 20) + 70 * Math.log(70 / 80) + 90 * Math.log(90 / 80));
    expect(surpriseOfShares(a, ta, b, tb)).toBeCloseTo(want, 10);
    // of rates only what happened counts
    expect(surpriseOfRates(30, 1, 10, 1)).toBeCloseTo(2 * (30 * Math.log(1.5) + 10 * Math.log(0.5)), 10);
  });

  test("none where nothing differs, more the more it does, the same from either side", () => {
    fc.assert(
      fc.property(
        fc.nat(1_000),
        fc.nat(1_000),
        fc.integer({ min: 1, max: 50 }),
        fc.integer({ min: 1, max: 50 }),
        (a, b, x, y) => {
          expect(surpriseOfRates(a * x, x, a * y, y)).toBeCloseTo(0, 6);
          expect(surpriseOfRates(a, x, b, y)).toBeCloseTo(surpriseOfRates(b, y, a, x), 9);
          expect(surpriseOfShares(a, a + x, b, b + y)).toBeCloseTo(surpriseOfShares(b, b + y, a, a + x), 9);
          expect(surpriseOfRates(a, x, b, y)).toBeGreaterThanOrEqual(0);
          if (a >= b) expect(surpriseOfRates(a + 10, 1, b, 1)).toBeGreaterThan(surpriseOfRates(a, 1, b, 1));
        },
      ),
      { seed: 3 },
    );
    expect([surpriseOfShares(0, 0, 0, 0), surpriseOfRates(0, 0, 0, 0)]).toEqual([0, 0]);
  });

  test("for small shares that of shares is that of rates over the totals", () => {
    expect(surpriseOfShares(40, 1e9, 10, 1e9)).toBeCloseTo(surpriseOfRates(40, 1, 10, 1), 3);
  });
});

describe("how likely it is", () => {
  test("as simple-statistics has it of a normal distribution, whose square it is", () => {
    for (const g2 of [0.001, 0.1, 1, 2.7, 3.84, 6.63, 10.83])
      expect(chanceOf(g2)).toBeCloseTo(2 * (1 - cumulativeStdNormalProbability(Math.sqrt(g2))), 2);
  });

  test("as its table of χ² with one degree of freedom", () => {
    for (const [chance, value] of Object.entries(chiSquaredDistributionTable[1]!))
      if (value > 0.1) expect(chanceOf(value)).toBeCloseTo(Number(chance), 2);
  });

  test("far out it is small, and never wrong", () => {
    expect(chanceOf(0)).toBeCloseTo(1, 6);
    expect(chanceOf(100)).toBeLessThan(1e-22);
    expect(chanceOf(1e6)).toBe(0);
  });
});

test("corrected for many: the worked example of Benjamini and Hochberg, 1995, section 4.1", () => {
  // 15 chances of a trial of thrombolysis; at 0.05 the first four are told (values from memory)
  const chances = [
    0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.324, 0.4262, 0.5719, 0.6528, 0.759, 1,
  ];
  expect(corrected(chances).filter((q) => q <= 0.05)).toHaveLength(4);
  // whatever the order they come in
  const shuffled = [...chances].reverse();
  expect(corrected(shuffled)).toEqual([...corrected(chances)].reverse());
  expect(corrected([])).toEqual([]);
});

describe("what changed", () => {
  const counted = (rows: readonly (readonly [string, number, number])[]) =>
    rows.map(([value, a, b]) => ({ by: "shape", value, a, b }));
  const rows = counted([
    ["new one", 40, 0],
    ["gone", 0, 25],
    ["doubled", 400, 200],
    ["halved", 200, 400],
    ["as ever", 1_000, 1_010],
    ["rare", 1, 0],
  ]);

  test("per time: each by what happened to it, the most surprising first; what chance explains is left out", () => {
    const { differences, compared } = contrast(
      rows,
      { records: 1_641, length: 1 },
      { records: 1_635, length: 1 },
      "time",
    );
    expect(compared).toBe(6);
    expect(differences.map((d) => [d.value, d.change])).toEqual([
      ["doubled", "rose"],
      ["halved", "fell"],
      ["new one", "appeared"],
      ["gone", "disappeared"],
    ]);
    expect(differences[0]!.ratio).toBe(2);
    expect(differences[2]!.ratio).toBeNull();
  });

  test("half as long a window with half as many is no change", () => {
    const half = counted([["as ever", 500, 1_000]]);
    expect(contrast(half, { records: 500, length: 1 }, { records: 1_000, length: 2 }, "time").differences).toEqual([]);
  });

  test("per records: where all became less, what did so too is no change; what did not, is", () => {
    const less = counted([
      ["a", 500, 1_000],
      ["b", 500, 1_000],
      ["stayed", 300, 300],
    ]);
    const sides = [
      { records: 1_300, length: 1 },
      { records: 2_300, length: 1 },
    ] as const;
    const [first, ...rest] = contrast(less, ...sides, "records").differences;
    expect([first!.value, first!.change]).toEqual(["stayed", "rose"]);
    expect(rest.every((d) => d.surprise < first!.surprise / 2)).toBe(true);
  });

  test("of random counts at the same rates hardly any is told: about one of a hundred that are", () => {
    const random = randomFrom(7);
    // each value's counts: how 400 records fall to either side
    const values = Array.from({ length: 500 }, (_, i) => {
      let a = 0;
      for (let n = 0; n < 400; n++) if (random() < 0.5) a++;
      return { by: "x", value: String(i), a, b: 400 - a };
    });
    expect(
      contrast(values, { records: 1, length: 1 }, { records: 1, length: 1 }, "time").differences.length,
    ).toBeLessThanOrEqual(2);
  });
});
