import fc from "fast-check";
import { SenderDirectory } from "../senders/index.js";
import { testRecord } from "../testing/record.js";
import {
  type CountEvent,
  CountKey,
  type CountLogic,
  type Episode,
  entityValues,
  findingTitle,
  KEY_SEPARATOR,
  Rule,
  RuleEngine,
  STARTER_RULES,
  sayRule,
} from "./index.js";

const S = 1e6;
const at = (seconds: number, id = seconds, what: CountEvent["what"] = "match"): CountEvent => ({
  timeUs: seconds * S,
  id: String(id),
  what,
  entities: [`user${KEY_SEPARATOR}u${id % 3}`],
});
const LOGIC: CountLogic = { count: 3, windowUs: 60 * S, quietUs: 120 * S };
const run = (logic: CountLogic, events: readonly CountEvent[], watermark: number) =>
  episodesOf(new CountKey(logic).step(events, watermark * S)).map(brief);
const episodesOf = (r: { settled: readonly Episode[]; provisional: readonly Episode[] }) => [
  ...r.settled,
  ...r.provisional,
];
const brief = (e: Episode) =>
  [e.firstUs / S, e.lastUs / S, e.count, e.clearedUs === null ? null : e.clearedUs / S, e.clearedBy] as const;

describe("count (semantics 21)", () => {
  test.each([
    ["N within W raises at the N-th", [at(0), at(30), at(60)], 0, [[0, 60, 3, null, null]]],
    ["last − first may be at most W", [at(0), at(30), at(61)], 0, []],
    ["the window slides", [at(0), at(50), at(70), at(100)], 0, [[50, 100, 3, null, null]]],
    ["further matches fold in until clear", [at(0), at(1), at(2), at(100), at(200)], 0, [[0, 200, 5, null, null]]],
    [
      "quiet clears, and counting begins anew",
      [at(0), at(1), at(2), at(200), at(201)],
      1000,
      [[0, 2, 3, 122, "quiet"]],
    ],
    [
      "it returns as an episode of its own",
      [at(0), at(1), at(2), at(200), at(201), at(202)],
      0,
      [
        [0, 2, 3, 122, "quiet"],
        [200, 202, 3, null, null],
      ],
    ],
    ["quiet is not over before the watermark says so", [at(0), at(1), at(2)], 121, [[0, 2, 3, null, null]]],
    ["a clearing record ends it", [at(0), at(1), at(2), at(5, 5, "clear"), at(6)], 0, [[0, 2, 3, 5, "record"]]],
    [
      "a clearing record with nothing raised changes nothing",
      [at(0), at(1), at(1.5, 9, "clear"), at(2)],
      0,
      [[0, 2, 3, null, null]],
    ],
    ["a person's closing ends it", [at(0), at(1), at(2), at(5, 0, "close")], 0, [[0, 2, 3, 5, "hand"]]],
    ["equal times go by id", [at(0, 2), at(0, 1), at(0, 3)], 0, [[0, 0, 3, null, null]]],
    ["a record that comes twice counts once", [at(0), at(0), at(1), at(1)], 0, []],
  ] as const)("%s", (_what, events, watermark, want) => expect(run(LOGIC, events, watermark)).toEqual(want));
});

/** Random histories: matches and clears over ten minutes, with hot spots. */
const history = fc
  .array(
    fc.record({
      s: fc.oneof(fc.integer({ min: 0, max: 600 }), fc.integer({ min: 100, max: 130 })),
      clear: fc.boolean(),
    }),
    { maxLength: 60 },
  )
  .map((list) => list.map(({ s, clear }, i) => at(s, i + 1, clear && i % 7 === 0 ? "clear" : "match")));
const BOUND = 120;

describe("any order within the bound, any split, any crash: the same episodes", () => {
  test.each([LOGIC, { ...LOGIC, quietUs: null }, { ...LOGIC, count: 1 }, { ...LOGIC, count: 5, quietUs: 20 * S }])(
    "%j",
    (logic) => {
      fc.assert(
        fc.property(
          history,
          fc.infiniteStream(fc.integer({ min: 0, max: BOUND })),
          fc.infiniteStream(fc.integer({ min: 1, max: 5 })),
          fc.infiniteStream(fc.boolean()),
          (events, delays, sizes, crashes) => {
            const ordered = run(logic, events, 10_000);
            // each event arrives up to the bound late; the watermark is arrival − bound
            const arrivals = events
              .map((event) => ({ event, arrives: event.timeUs / S + delays.next().value }))
              .sort((a, b) => a.arrives - b.arrives);
            let key = new CountKey(logic);
            let saved = key.save();
            const settled: Episode[] = [];
            for (let i = 0; i < arrivals.length; ) {
              const size = sizes.next().value;
              const batch = arrivals.slice(i, i + size);
              i += size;
              const watermark = (batch[batch.length - 1]!.arrives - BOUND - 0.001) * S;
              const shuffled = crashes.next().value ? batch.map((b) => b.event).reverse() : batch.map((b) => b.event);
              const result = key.step([...shuffled, ...(crashes.next().value ? shuffled : [])], watermark);
              settled.push(...result.settled);
              if (result.settledChanged) saved = JSON.parse(JSON.stringify(key.save()));
              if (crashes.next().value) {
                // a crash: what is left is what was saved; what came after the watermark is read again
                key = new CountKey(logic, saved);
                const again = arrivals.slice(0, i).filter((b) => b.event.timeUs > watermark);
                expect(
                  key.step(
                    again.map((b) => b.event),
                    watermark,
                  ).settled,
                ).toEqual([]);
              }
            }
            const last = key.step([], 10_000 * S);
            expect([...settled, ...last.settled, ...last.provisional].map(brief)).toEqual(ordered);
          },
        ),
        { seed: 21, numRuns: 400 },
      );
    },
  );
});

describe("hysteresis needs a clear of its own (91 89 91 76 74 91; common practice, no source)", () => {
  const series = [91, 89, 91, 76, 74, 91];
  const episodes = (clearBelow: number) =>
    run(
      { count: 1, windowUs: S, quietUs: null },
      series
        .map((v, i) => at(i, i + 1, v > 90 ? "match" : v < clearBelow ? "clear" : "clear"))
        .filter((_, i) => series[i]! > 90 || series[i]! < clearBelow),
      0,
    ).length;
  test("raise above 90, clear below 75: twice", () => expect(episodes(75)).toBe(2));
  test("one line at 90: three times", () => expect(episodes(91)).toBe(3));
});

describe("the engine", () => {
  const rule = (over: object = {}) =>
    Rule.parse({
      kind: "count",
      id: "r",
      name: "R",
      filter: "category is logon",
      key: ["src"],
      count: 2,
      windowSeconds: 60,
      severity: "error",
      title: "{count} from {src} as {user} on {sender}",
      entities: ["user", "sender"],
      clear: { by: "quiet", seconds: 60 },
      ...over,
    });
  const record = (s: number, src: string | null, id = s) =>
    testRecord({ id: String(id), timeUs: s * S, src, category: "logon", users: [`u${id}`] });
  const directory = new SenderDirectory([]);
  test("keys are apart; records without the key do not count; copies count once", () => {
    const engine = new RuleEngine([rule()], directory);
    const result = engine.step(
      "live",
      [
        record(1, "10.0.0.1"),
        record(2, "10.0.0.2"),
        record(3, null),
        { ...record(4, "10.0.0.2"), copyOf: "2" },
        record(5, "10.0.0.1"),
      ],
      0,
    );
    expect(result.episodes.map((e) => [e.key, e.episode.count])).toEqual([["10.0.0.1", 2]]);
    expect(findingTitle(rule(), 2, result.episodes[0]!.episode.entities, directory)).toBe(
      "2 from 10.0.0.1 as u1, u5 on sender 1",
    );
  });
  test("states saved and loaded go on where they were", () => {
    const first = new RuleEngine([rule()], directory);
    const { states } = first.step("live", [record(1, "10.0.0.1")], 1 * S);
    const second = new RuleEngine(
      [rule()],
      directory,
      states.map((s) => ({ ...s, state: s.state! })),
    );
    expect(second.step("live", [record(2, "10.0.0.1")], 0).episodes).toHaveLength(1);
  });
  test("lanes do not mix; a standing finding claims late events", () => {
    const engine = new RuleEngine([rule()], directory);
    engine.step("live", [record(1, "10.0.0.1")], 0);
    expect(engine.step("late", [record(2, "10.0.0.1")], 0).episodes).toEqual([]);
    expect(engine.step("late", [record(3, "10.0.0.1")], 0, () => true).states).toEqual([]);
  });
  test("what the watermark leaves behind is forgotten", () => {
    const engine = new RuleEngine([rule()], directory);
    engine.step("live", [record(1, "10.0.0.1")], 0);
    expect(engine.step("live", [], 500 * S).states).toEqual([
      { ruleId: "r", lane: "live", key: "10.0.0.1", state: null },
    ]);
  });
  test("a key of several fields, one with several values", () => {
    const engine = new RuleEngine([rule({ key: ["user", "src"], count: 1 })], directory);
    const keys = engine.step("live", [{ ...record(1, "10.0.0.1"), users: ["a", "b"] }], 0).episodes.map((e) => e.key);
    expect(keys).toEqual([`a${KEY_SEPARATOR}10.0.0.1`, `b${KEY_SEPARATOR}10.0.0.1`]);
  });
  test("closing by hand ends the episode in every lane", () => {
    const engine = new RuleEngine([rule()], directory);
    engine.step("live", [record(1, "10.0.0.1"), record(2, "10.0.0.1")], 0);
    expect(engine.close("r", "10.0.0.1", 10 * S).episodes[0]!.episode).toMatchObject({
      clearedBy: "hand",
      clearedUs: 10 * S,
    });
  });
});

describe("rules", () => {
  test.each([
    ["a filter that cannot be read", { filter: "sevrity is error" }, "column 1"],
    ["a filter that names a time", { filter: "time last 1 h" }, "cannot name a time"],
    ["a key that is no field", { key: ["nonsense"] }, "expected a field"],
    ["an id with spaces", { id: "a b" }, "lower-case"],
  ])("%s is refused", (_what, over, message) => {
    const parsed = Rule.safeParse({ ...STARTER_RULES[0], ...over });
    expect(parsed.success ? "" : parsed.error.message).toContain(message);
  });
  test("the starter rules are valid and read as sentences", () => {
    for (const rule of STARTER_RULES) expect(Rule.parse(rule)).toEqual(rule);
    expect(sayRule(STARTER_RULES[0]!)).toBe(
      "Raise error when 10 records within 5 min with the same src match: category is logon and outcome is failure. It clears after 15 min without one.",
    );
  });
  test("entities by name", () =>
    expect(entityValues("user", [`user${KEY_SEPARATOR}a`, `src${KEY_SEPARATOR}x`], new SenderDirectory([]))).toEqual([
      "a",
    ]));
});
