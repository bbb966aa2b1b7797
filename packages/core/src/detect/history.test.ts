import fc from "fast-check";
import { effort } from "../testing/node/effort.js";
import { type Arrivals, type Played, play } from "../testing/play.js";
import { testRecord } from "../testing/record.js";
import { LATENESS_US, Rule, type RuleInput } from "./index.js";

/**
 * The same records give the same findings whatever the order in which they arrive within the bound, however they are cut into
 * batches, when some come twice, and when the engine is killed in between (`docs/semantics.md` 20 and 21); the long run takes 10,000 histories a rule.
 */
const RUNS = effort(80);

const base = { name: "R", severity: "error", title: "t", clear: { by: "quiet", seconds: 150 } } as const;
const step = (app: string, more: object = {}) => ({ filter: `app is ${app}`, ...more });
const RULES: readonly (readonly [id: string, scale: number, rule: object])[] = [
  ["count", 1, { kind: "count", filter: "app is a", key: ["host"], count: 3, windowSeconds: 60 }],
  ["count-of-one", 1, { kind: "count", filter: "app is a", key: ["host"], count: 1, windowSeconds: 60 }],
  [
    "count-cleared-by-record",
    1,
    {
      kind: "count",
      filter: "app in a, b",
      key: ["host"],
      count: 4,
      windowSeconds: 90,
      clear: { by: "record", filter: "app is c" },
    },
  ],
  ["count-held", 1, { kind: "count", filter: "app is a", key: ["host"], count: 2, windowSeconds: 60, holdSeconds: 40 }],
  ["distinct", 1, { kind: "distinct", filter: "app in a, b", key: ["host"], of: "user", count: 3, windowSeconds: 90 }],
  [
    "sequence",
    1,
    {
      kind: "sequence",
      key: ["host"],
      windowSeconds: 200,
      steps: [step("a", { count: 2, withinSeconds: 80 }), step("b"), step("c", { withinSeconds: 90 })],
    },
  ],
  [
    "sequence-nothing-between",
    1,
    { kind: "sequence", key: ["host"], windowSeconds: 200, steps: [step("a"), step("c", { absent: true }), step("b")] },
  ],
  [
    "sequence-then-nothing",
    1,
    {
      kind: "sequence",
      key: ["host"],
      windowSeconds: 300,
      steps: [step("a"), step("b"), step("c", { absent: true, withinSeconds: 70 })],
    },
  ],
  [
    "sequence-cleared-by-what-was-missing",
    1,
    {
      kind: "sequence",
      key: ["host"],
      windowSeconds: 300,
      steps: [step("a"), step("c", { absent: true, withinSeconds: 70 })],
      clear: { by: "record", filter: "app is c" },
    },
  ],
  ["together", 1, { kind: "together", key: ["host"], windowSeconds: 100, parts: [step("a"), step("b"), step("c")] }],
  ["silence", 1, { kind: "silence", filter: "app is a", key: ["host"], afterSeconds: 100, clear: { by: "condition" } }],
  [
    "first",
    1_000,
    {
      kind: "first",
      filter: "app in a, b",
      key: ["host", "user"],
      unseenDays: 1,
      learningDays: 2,
      clear: { by: "quiet", seconds: 3_600 },
    },
  ],
  [
    "line",
    1,
    {
      kind: "departure",
      filter: "app is a",
      key: ["host"],
      measure: { of: "value", field: "bytes" },
      judgement: { by: "line", side: "over", raiseAt: 70, clearAt: 30 },
      clear: { by: "condition" },
    },
  ],
  [
    "sum",
    1,
    {
      kind: "departure",
      filter: "app is a",
      key: ["host"],
      measure: { of: "sum", field: "bytes" },
      everySeconds: 60,
      judgement: { by: "line", side: "over", raiseAt: 120, clearAt: 80 },
      clear: { by: "condition" },
    },
  ],
  [
    "baseline",
    2_000,
    {
      kind: "departure",
      filter: "app in a, b",
      key: ["host"],
      measure: { of: "sum", field: "bytes" },
      everySeconds: 3_600,
      judgement: { by: "baseline", side: "over", z: 2 },
      clear: { by: "condition" },
    },
  ],
  [
    "ewma",
    1,
    {
      kind: "departure",
      filter: "app in a, b",
      key: ["host"],
      measure: { of: "value", field: "bytes" },
      judgement: { by: "ewma", training: 5, k: 1 },
      clear: { by: "condition" },
    },
  ],
  [
    "cusum",
    1,
    {
      kind: "departure",
      filter: "app in a, b",
      key: ["host"],
      measure: { of: "records" },
      everySeconds: 30,
      judgement: { by: "cusum", training: 5, limit: 1 },
      clear: { by: "condition" },
    },
  ],
  [
    "ratio",
    1,
    {
      kind: "ratio",
      filter: "app is a",
      of: "app in a, b",
      key: ["host"],
      everySeconds: 60,
      least: 2,
      raiseAt: 0.5,
      clearAt: 0.3,
      clear: { by: "condition" },
    },
  ],
];

/** Ten minutes of records with a hot spot; stretched by a scale for rules that think in days. */
const histories = (scale: number) =>
  fc
    .array(
      fc.record({
        s: fc.oneof(fc.integer({ min: 0, max: 600 }), fc.integer({ min: 100, max: 130 })),
        app: fc.constantFrom("a", "a", "b", "c"),
        host: fc.constantFrom("one", "two"),
        user: fc.constantFrom("u", "v", "w"),
        bytes: fc.integer({ min: 0, max: 100 }),
      }),
      { minLength: 1, maxLength: 70 },
    )
    .map((list) =>
      list.map(({ s, user, ...rest }, i) =>
        testRecord({ ...rest, id: String(i + 1), timeUs: s * scale * 1e6, users: [user] }),
      ),
    );
const arrivals = fc.record({
  delays: fc.array(fc.integer({ min: 0, max: LATENESS_US }), { minLength: 1, maxLength: 20 }),
  sizes: fc.array(fc.integer({ min: 1, max: 6 }), { minLength: 1, maxLength: 5 }),
  crashes: fc.array(fc.boolean(), { minLength: 1, maxLength: 7 }),
  repeats: fc.array(fc.boolean(), { minLength: 1, maxLength: 3 }),
});

const parse = (id: string, rule: object) => Rule.parse({ id, ...base, ...rule } as RuleInput);
const stands = ({ evidence: _, ...played }: Played) => played;
const agrees = (id: string, scale: number, rule: object, fault: Partial<Arrivals> = {}) =>
  fc.property(histories(scale), arrivals, (records, how) => {
    const rules = [parse(id, rule)];
    const end = scale * 3 * 3_600e6;
    const straight = play(rules, records, undefined, end);
    const arrived = play(rules, records, { ...how, ...fault }, end);
    expect(arrived.map(stands)).toEqual(straight.map(stands));
    // what was evidence for a while stays; what is evidence is never missing
    for (const [i, { evidence }] of straight.entries())
      expect(arrived[i]!.evidence).toEqual(expect.arrayContaining([...evidence]));
  });

test.each(RULES)(
  "%s: any order within the bound, any batches, repeats, crashes: the same findings",
  (id, scale, rule) => {
    // weeks of hours cost as much as hundreds of minutes
    fc.assert(agrees(id, scale, rule), { seed: 20, numRuns: scale > 1_000 ? RUNS / 4 : RUNS });
  },
);

test("what was quiet before an absence was proven is over, also where the clock tells of both at once", () => {
  const at = (id: number, s: number, app: string) =>
    testRecord({ id: String(id), timeUs: s * 1e6, app, host: "two", users: [] });
  const [, , sequence] = RULES.find(([id]) => id === "sequence-then-nothing")!;
  // raised at 171 s, quiet at 321 s, and the second way would be complete at 326 s
  const played = play([parse("s", sequence)], [at(1, 100, "a"), at(2, 101, "b"), at(3, 256, "b")]);
  expect(played.map(({ episode: e }) => [e.raisedUs / 1e6, e.lastUs / 1e6, e.clearedUs! / 1e6, e.clearedBy])).toEqual([
    [171, 171, 321, "quiet"],
  ]);
});

test("findings are made at all: the property is no empty one", () => {
  for (const [id, scale, rule] of RULES) {
    const some = fc.sample(histories(scale), { seed: 3, numRuns: 60 });
    expect([id, some.some((records) => play([parse(id, rule)], records).length > 0)]).toEqual([id, true]);
  }
});

test("a planted fault, a watermark that does not wait for late records, is caught", () => {
  // by most kinds of rule; none is tried once that is seen
  let caught = 0;
  for (const [id, scale, rule] of RULES) {
    if (caught > RULES.length / 2) break;
    if (fc.check(agrees(id, scale, rule, { boundUs: 0 }), { seed: 5, numRuns: 150, endOnFailure: true }).failed)
      caught++;
  }
  expect(caught).toBeGreaterThan(RULES.length / 2);
});
