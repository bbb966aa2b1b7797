import fc from "fast-check";
import { US_PER_DAY, US_PER_HOUR } from "../../base/time/index.js";
import type { Count } from "../../model/record/index.js";
import { type Accumulated, Figure } from "./asked.js";
import { ranked } from "./ranked.js";
import { clockValue, type Measured, type MeasuredRow, Tally } from "./tally.js";

const NUMBERS = ["sum", "average", "least", "greatest", "p50", "p95", "p99"] as const;
const figure = (of: Accumulated["of"]): Accumulated =>
  of === "records"
    ? { of }
    : of === "distinct"
      ? { of, values: { field: "user" } }
      : ({ of, number: { field: "bytes" } } as Accumulated);

const rowsOf = ({ rows }: Measured) => Object.fromEntries(rows.map((r) => [r.keys.join("|"), r.value]));

/** What a figure is of these numbers, told by its definition alone. */
function byDefinition(of: (typeof NUMBERS)[number], numbers: readonly number[]): number | null {
  if (numbers.length === 0) return null;
  const sorted = [...numbers].sort((a, b) => a - b);
  const sum = numbers.reduce((a, b) => a + b, 0);
  // the smallest value that at least so large a part of them does not exceed
  const quantile = (q: number) => sorted.find((v) => sorted.filter((w) => w <= v).length >= q * sorted.length)!;
  return {
    sum,
    average: sum / numbers.length,
    least: sorted[0]!,
    greatest: sorted.at(-1)!,
    p50: quantile(0.5),
    p95: quantile(0.95),
    p99: quantile(0.99),
  }[of];
}

describe("a tally", () => {
  const record = fc.record({
    at: fc.integer({ min: 0, max: 59 }),
    key: fc.constantFrom("", "a", "b", "a b"),
    number: fc.option(fc.integer({ min: 0, max: 50 })),
  });

  test.each(NUMBERS)("of the %s is what its definition says: of all, of each group, of each step", (of) => {
    fc.assert(
      fc.property(fc.array(record, { maxLength: 60 }), (records) => {
        const tally = new Tally(figure(of), [0, 20, 30, 60]);
        for (const r of records) tally.add(r.at, [[r.key]], { number: r.number });
        const { rows, total, full } = tally.result();
        const expected = (some: typeof records) =>
          byDefinition(
            of,
            some.flatMap((r) => r.number ?? []),
          );
        const near = (value: Count | null, wanted: number | null) =>
          wanted === null ? expect(value).toBeNull() : expect(value).toBeCloseTo(wanted, 9);
        near(total.value, expected(records));
        expect([total.records, full]).toEqual([records.length, false]);
        for (const row of rows) {
          const own = records.filter((r) => r.key === row.keys[0]);
          near(row.value, expected(own));
          expect([row.records, row.exact]).toEqual([own.length, true]);
          for (const [i, [from, to]] of [[0, 20] as const, [20, 30] as const, [30, 60] as const].entries())
            near(row.steps[i]!, expected(own.filter((r) => r.at >= from && r.at < to)));
        }
        expect(rows).toHaveLength(new Set(records.map((r) => r.key)).size);
      }),
    );
  });

  test("does not count what lies before its first step or from its end on", () => {
    const tally = new Tally(figure("records"), [10, 20, 30]);
    for (const at of [9, 10, 19, 20, 29, 30]) tally.add(at, [], { number: null });
    expect(tally.result().total).toMatchObject({ records: 4, steps: [2, 2] });
  });

  test("counts a record under each of its values, and once in the total; one without any in the total alone", () => {
    const tally = new Tally(figure("records"));
    tally.add(0, [["k.lind", "t.vik"]], { number: null });
    tally.add(0, [[]], { number: null });
    expect(rowsOf(tally.result())).toEqual({ "k.lind": 1, "t.vik": 1 });
    expect(tally.result().total.value).toBe(2);
  });

  test("by two things tells every pair apart, whatever stands in them", () => {
    const tally = new Tally(figure("records"));
    const pairs = [
      ["1:a", "b"],
      ["1", ":ab"],
      ["1:", "ab"],
      ["", "1:ab"],
    ] as const;
    for (const [a, b] of pairs) tally.add(0, [[a], [b]], { number: null });
    expect(tally.result().rows.map((r) => r.keys)).toEqual(pairs.map((p) => [...p]));
    tally.add(
      0,
      [
        ["x", "y"],
        ["p", "q"],
      ],
      { number: null },
    );
    expect(tally.result().rows).toHaveLength(8);
  });

  test("tells different values apart, and of too many that there are at least so many", () => {
    const tally = new Tally(figure("distinct"));
    tally.add(0, [["few"]], { values: ["a", "b", "a"] });
    for (let i = 0; i < 100_010; i += 10)
      tally.add(0, [["many"]], { values: Array.from({ length: 10 }, (_, j) => String(i + j)) });
    const [few, many] = tally.result().rows;
    expect(few).toMatchObject({ value: 2, exact: true });
    expect(many).toMatchObject({ value: 100_000, exact: false });
  });

  test("of very many numbers says a quantile within 2.5 %, and that it is not exact", () => {
    const tally = new Tally(figure("p95"));
    for (let i = 1; i <= 10_000; i++) tally.add(0, [], { number: i });
    const { total } = tally.result();
    expect(total.exact).toBe(false);
    expect(Math.abs(Number(total.value) / 9_500 - 1)).toBeLessThan(0.025);
  });

  test("takes what is not above nothing for nothing, once numbers are many", () => {
    const tally = new Tally(figure("p50"));
    for (let i = 0; i < 9_000; i++) tally.add(0, [], { number: i < 6_000 ? 0 : 100 });
    expect(tally.result().total.value).toBe(0);
  });

  test("sums what is too large for a number to the last digit", () => {
    const tally = new Tally(figure("sum"));
    for (const number of [2n ** 62n, 1, 2n ** 61n]) tally.add(0, [], { number });
    expect(tally.result().total.value).toBe(2n ** 62n + 2n ** 61n + 1n);
  });

  test("keeps so many groups and no more, and says so; the total holds them all", () => {
    const tally = new Tally(figure("records"));
    for (let i = 0; i < 200_010; i++) tally.add(0, [[String(i)]], { number: null });
    const { rows, total, full } = tally.result();
    expect(rows.length).toBeLessThanOrEqual(200_000);
    expect([total.value, full]).toEqual([200_010, true]);
  });

  test("takes what was counted elsewhere, by group and for all", () => {
    const tally = new Tally(figure("records"));
    tally.count(["a"], 40);
    tally.add(0, [["a"]], { number: null });
    tally.countAll(60);
    expect([rowsOf(tally.result()), tally.result().total.value]).toEqual([{ a: 41 }, 61]);
  });
});

describe("where the clock of a zone stands", () => {
  // 2026-11-28 is a Saturday (ISO 8601 calendar)
  const NIGHT = Date.parse("2026-11-28T23:30:00Z") * 1_000;
  test.each([
    ["hour of day", NIGHT, "UTC", "23"],
    ["hour of day", NIGHT, "Europe/Oslo", "00"],
    ["day of week", NIGHT, "UTC", "5"],
    ["day of week", NIGHT, "Europe/Oslo", "6"],
    ["hour of day", NIGHT, "Asia/Kolkata", "05"],
    // a device without a clock of its own begins in 1970, which in the west is the year before
    ["hour of day", 5_000_000, "America/Bogota", "19"],
    ["day of week", 5_000_000, "America/Bogota", "2"],
  ] as const)("%s at %i in %s", (clock, atUs, zone, value) => expect(clockValue(clock, atUs, zone)).toBe(value));

  test("every hour of a week has its place", () => {
    const seen = new Set<string>();
    for (let us = 0; us < 7 * US_PER_DAY; us += US_PER_HOUR)
      seen.add(`${clockValue("day of week", us, "UTC")} ${clockValue("hour of day", us, "UTC")}`);
    expect(seen.size).toBe(168);
  });
});

describe("rows in order", () => {
  const row = (key: string, value: Count | null): MeasuredRow => ({
    keys: [key],
    value,
    exact: true,
    records: 1,
    steps: [],
  });
  const measured = (...rows: MeasuredRow[]): Measured => ({ rows, total: row("", null), full: false });
  const keys = (answer: ReturnType<typeof ranked>) => answer.rows.map((r) => r.keys[0]);
  const BY = [{ field: "user" }];
  const ALL = measured(row("b", 2), row("c", null), row("a", 2), row("d", 10n ** 18n));

  test.each([
    ["most", 10, ["d", "a", "b", "c"]],
    ["least", 10, ["c", "a", "b", "d"]],
    ["most", 2, ["d", "a"]],
    ["most", 0, ["d", "a", "b", "c"]],
  ] as const)("%s, %i of them; of the same by name", (order, top, wanted) => {
    const answer = ranked(ALL, { by: BY, order, top });
    expect(keys(answer)).toEqual(wanted);
    expect(answer.others).toBe(4 - wanted.length);
  });

  test("by how far each is from what it was, either way; without a before by how much there is", () => {
    const before = (r: MeasuredRow): Count | null => ({ a: 100, b: 1, d: null })[r.keys[0] as string] ?? null;
    const some = measured(row("a", 2), row("b", 60), row("d", 90));
    expect(keys(ranked(some, { by: BY, order: "changed", top: 10 }, before))).toEqual(["a", "d", "b"]);
    expect(keys(ranked(some, { by: BY, order: "changed", top: 10 }))).toEqual(["d", "b", "a"]);
  });

  test("of a clock in its own order, all of it, however few were asked for", () => {
    const hours = measured(row("23", 9), row("00", 1), row("07", 5));
    expect(keys(ranked(hours, { by: [{ clock: "hour of day" }], order: "most", top: 1 }))).toEqual(["00", "07", "23"]);
  });
});

test.each([
  [{ of: "sum" }],
  [{ of: "sum", number: { field: "src" } }],
  [{ of: "distinct", values: {} }],
  [{ of: "distinct", values: { field: "user", data: "x" } }],
  [{ of: "median", number: { field: "bytes" } }],
  [{ of: "records", number: { field: "bytes" } }],
])("%j is no figure", (asked) => expect(Figure.safeParse(asked).success).toBe(false));
