import { entityCode } from "../model/entity/index.js";
import { newSender, SenderDirectory } from "../model/senders/index.js";
import { testRecord } from "../testing/record.js";
import {
  entityValues,
  findingTitle,
  logicOf,
  Rule,
  RuleEngine,
  type SavedState,
  sayRule,
  shippedRules,
  splitKey,
} from "./index.js";

const S = 1e6;
const ZONE = { zone: "UTC" };
const directory = new SenderDirectory([]);
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

describe("the engine", () => {
  test("keys are apart; records without the key do not count; copies count once", () => {
    const engine = new RuleEngine([rule()], directory, ZONE);
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
    expect(findingTitle(rule(), { ...result.episodes[0]!.episode, key: "10.0.0.1" }, directory)).toBe(
      "2 from 10.0.0.1 as u1, u5 on sender 1",
    );
  });
  test("states saved and loaded go on where they were", () => {
    const first = new RuleEngine([rule()], directory, ZONE);
    const { states } = first.step("live", [record(1, "10.0.0.1")], 5 * S);
    const second = new RuleEngine([rule()], directory, ZONE, {
      states: states.map((s) => ({ ...s, state: s.state! })),
      earlier: [],
      since: new Map(),
    });
    expect(second.step("live", [record(2, "10.0.0.1")], 0).episodes).toHaveLength(1);
  });
  test.each<[string, object, readonly (readonly [number, string])[], object]>([
    [
      "a count",
      { count: 5 },
      [
        [1, "success"],
        [2, "success"],
      ],
      { have: 2, need: 5, lacking: null },
    ],
    [
      "a step of several",
      {},
      [
        [1, "failure"],
        [2, "failure"],
      ],
      { have: 2, need: 4, lacking: 0 },
    ],
    [
      "steps done",
      {},
      [
        [1, "failure"],
        [2, "failure"],
        [3, "failure"],
      ],
      { have: 3, need: 4, lacking: 1 },
    ],
  ])("says how near a key is to being raised: %s", (what, over, seen, near) => {
    const steps = [{ filter: "outcome is failure", count: 3 }, { filter: "outcome is success" }];
    const one =
      what === "a count" ? rule(over) : rule({ kind: "sequence", steps, filter: undefined, count: undefined });
    const engine = new RuleEngine([one], directory, ZONE);
    const records = seen.map(([s, outcome]) => ({
      ...record(s, "10.0.0.1"),
      outcome: outcome as "failure" | "success",
    }));
    engine.step("live", records, 0);
    expect(engine.nearMisses("r", 5)).toEqual([
      { ruleId: "r", lane: "live", key: "10.0.0.1", lastUs: seen[seen.length - 1]![0] * S, ...near },
    ]);
  });
  test("lanes do not mix; a standing finding claims late events", () => {
    const engine = new RuleEngine([rule()], directory, ZONE);
    engine.step("live", [record(1, "10.0.0.1")], 0);
    expect(engine.step("late", [record(2, "10.0.0.1")], 0).episodes).toEqual([]);
    expect(engine.step("late", [record(3, "10.0.0.1")], 0, () => true).states).toEqual([]);
  });
  test.each([
    ["one sender", "sender is gate-1", ["10.0.0.1"]],
    ["a host, in any case", "host is GATE", ["10.0.0.2"]],
    ["either", "sender is gate-1 or host is gate", ["10.0.0.1", "10.0.0.2"]],
    ["any other", "not sender is gate-1", ["10.0.0.2"]],
  ])("a rule for %s is asked about its records alone", (_what, filter, keys) => {
    const engine = new RuleEngine([rule({ filter, count: 1 })], new SenderDirectory([newSender(1, "gate-1")]), ZONE);
    const records = [
      { ...record(1, "10.0.0.1"), sender: 1 },
      { ...record(2, "10.0.0.2"), sender: 2, host: "gate" },
    ];
    expect(engine.step("live", records, 0).episodes.map((e) => e.key)).toEqual(keys);
  });
  test("what the watermark leaves behind is forgotten", () => {
    const engine = new RuleEngine([rule()], directory, ZONE);
    engine.step("live", [record(1, "10.0.0.1")], 0);
    expect(engine.step("live", [], 500 * S).states).toEqual([
      { ruleId: "r", lane: "live", key: "10.0.0.1", logic: logicOf(rule()), state: null, brief: null },
    ]);
  });

  describe("a state that is kept as a text", () => {
    const rules = [
      rule({ count: 4 }),
      rule({ id: "raised", count: 1, clear: { by: "hand" } }),
      rule({ id: "new", kind: "first", unseenDays: 30, learningDays: 1, count: undefined, windowSeconds: undefined }),
    ];
    const addresses = ["10.0.0.1", "10.0.0.2", "10.0.0.3"];
    const records = [0, 1, 2, 0, 1, 0].map((which, i) => record(i + 1, addresses[which]!));
    const { states } = new RuleEngine(rules, directory, ZONE).step("live", records, 10 * S);
    const goOn = (as: (s: (typeof states)[number]) => SavedState["state"]) =>
      new RuleEngine(rules, directory, ZONE, {
        states: states.flatMap((s) => (s.state === null ? [] : [{ ...s, state: as(s) }])),
        earlier: [],
        since: new Map(),
      });
    const read = () => goOn((s) => s.state!);
    const kept = () => goOn((s) => (s.brief === null ? s.state! : { ...s.brief, text: JSON.stringify(s.state) }));

    test("answers in brief what one that was read answers", () => {
      const asked = (engine: RuleEngine) => [
        engine.size,
        engine.nearMisses("r", 2),
        engine.nearMisses("raised", 9),
        engine.learning("new"),
        engine.standing("live"),
      ];
      expect(asked(kept())).toEqual(asked(read()));
      expect(kept().nearMisses("r", 2)).toMatchObject([
        { key: "10.0.0.1", have: 3, need: 4 },
        { key: "10.0.0.2", have: 2 },
      ]);
    });

    test("goes on as one that was read does, touched by a record, by time or by a person", () => {
      const after = (engine: RuleEngine) => [
        engine.step("live", [record(11, "10.0.0.1"), record(12, "10.0.0.3")], 20 * S),
        engine.close("raised", "10.0.0.2", 30 * S),
        engine.step("live", [], 90 * S),
        engine.step("live", [record(95, "10.0.0.2")], 40 * 86_400 * S),
      ];
      expect(after(kept())).toEqual(after(read()));
    });

    test("is not read before something touches it", () => {
      const broken = goOn((s) => (s.brief === null ? s.state! : { ...s.brief, text: "not read yet" }));
      expect(broken.step("live", [record(11, "10.9.9.9")], 20 * S).episodes.map((e) => e.key)).toContain("10.9.9.9");
      expect(() => broken.step("live", [record(12, "10.0.0.1")], 20 * S)).toThrow(/not read yet|JSON/);
    });
  });
  test("a key of several fields, one with several values", () => {
    const engine = new RuleEngine([rule({ key: ["user", "src"], count: 1 })], directory, ZONE);
    const keys = engine.step("live", [{ ...record(1, "10.0.0.1"), users: ["a", "b"] }], 0).episodes.map((e) => e.key);
    expect(keys).toEqual(["a\u000110.0.0.1", "b\u000110.0.0.1"]);
  });
  test("a value that pretends to be two is one, and no other key's", () => {
    const two = rule({ key: ["user", "app"], count: 1 });
    const engine = new RuleEngine([two], directory, ZONE);
    const keyed = (id: number, user: string, app: string) => ({ ...record(id, "10.0.0.1"), users: [user], app });
    const { episodes } = engine.step("live", [keyed(1, "a\u0001b", "c"), keyed(2, "a", "b\u0001c")], 0);
    expect(episodes.map((e) => splitKey(e.key, 2))).toEqual([
      ["a\ufffdb", "c"],
      ["a", "b\ufffdc"],
    ]);
    expect(splitKey("a\u0001b", 1)).toEqual(["a\u0001b"]);
  });
  test("closing by hand ends the episode in every lane", () => {
    const engine = new RuleEngine([rule()], directory, ZONE);
    engine.step("live", [record(1, "10.0.0.1"), record(2, "10.0.0.1")], 0);
    expect(engine.close("r", "10.0.0.1", 10 * S).episodes[0]!.episode).toMatchObject({
      clearedBy: "hand",
      clearedUs: 10 * S,
    });
  });
});

describe("a rule whose logic is changed (semantics 23)", () => {
  const stricter = rule({ count: 3 });
  const changedAt = 100;
  /** Two records of one source raised the first version; two of another came too early for either. */
  const changed = () => {
    const engine = new RuleEngine([rule()], directory, ZONE);
    const before = [record(70, "10.0.0.1"), record(80, "10.0.0.1"), record(90, "10.0.0.2")];
    const kept = engine.step("live", before, 95 * S).states;
    const { fresh, states } = engine.setRules([stricter], directory, changedAt * S);
    return { engine, before, kept, fresh, states };
  };

  test("the version before keeps its open findings, takes their evidence in and clears them; the rest it forgets", () => {
    const { engine, fresh, states } = changed();
    expect(fresh).toEqual(["r"]);
    expect(states.map((s) => [s.key, s.logic, s.state])).toEqual([["10.0.0.2", logicOf(rule()), null]]);
    const more = engine.step("live", [record(110, "10.0.0.1"), record(111, "10.0.0.2")], 100 * S);
    expect(more.episodes.map((e) => [e.key, e.episode.count])).toEqual([["10.0.0.1", 3]]);
    const after = engine.step("live", [], 400 * S);
    expect(after.episodes.map((e) => [e.key, e.episode.clearedBy, e.final])).toEqual([["10.0.0.1", "quiet", true]]);
    expect(after.states.filter((s) => s.logic === logicOf(rule())).map((s) => s.state)).toEqual([null]);
    // what comes now is the new version's alone
    expect(engine.step("live", [record(500, "10.0.0.1"), record(501, "10.0.0.1")], 400 * S).episodes).toEqual([]);
  });
  test("the new version warms up over what was before, and raises on evidence that reaches past the change alone", () => {
    const { engine } = changed();
    const past = [record(60, "10.0.0.3"), record(61, "10.0.0.3"), record(62, "10.0.0.3"), record(90, "10.0.0.2")];
    expect(engine.warmUp("r", "live", [...past, record(92, "10.0.0.2")], 95 * S).episodes).toEqual([]);
    const more = engine.step("live", [record(105, "10.0.0.2")], 95 * S);
    expect(more.episodes.map((e) => [e.key, e.episode.count, e.episode.firstUs / S])).toEqual([["10.0.0.2", 3, 90]]);
  });
  test("while one warms up, what others sum is not summed again", () => {
    const sum = rule({
      kind: "departure",
      id: "sum",
      filter: "category is logon",
      measure: { of: "sum", field: "bytes" },
      everySeconds: 60,
      judgement: { by: "line", side: "over", raiseAt: 100, clearAt: 50 },
      clear: { by: "condition" },
    });
    const sent = (s: number, bytes: number) => ({ ...record(s, "10.0.0.1"), bytes });
    const engine = new RuleEngine([rule(), sum], directory, ZONE);
    const past = [sent(61, 40), sent(62, 40)];
    engine.step("live", past, 70 * S);
    engine.setRules([stricter, sum], directory, 70 * S);
    engine.warmUp("r", "live", past, 70 * S);
    const of = (all: ReturnType<RuleEngine["step"]>) => all.episodes.filter((e) => e.ruleId === "sum");
    expect(of(engine.step("live", [sent(80, 10)], 125 * S))).toEqual([]);
    expect(of(engine.step("live", [sent(130, 101)], 185 * S)).map((e) => e.episode.facts)).toEqual([
      [
        ["value", 101],
        ["line", 100],
      ],
    ]);
  });
  test("both go on after a restart", () => {
    const { kept, states } = changed();
    const gone = new Set(states.map((s) => s.key));
    const engine = new RuleEngine([stricter], directory, ZONE, {
      states: kept.filter((s) => !gone.has(s.key)).map((s) => ({ ...s, state: s.state! })),
      earlier: [rule()],
      since: new Map([["r", changedAt * S]]),
    });
    const { episodes } = engine.step("live", [record(110, "10.0.0.1")], 100 * S);
    expect(episodes.map((e) => [e.key, e.episode.count])).toEqual([["10.0.0.1", 3]]);
  });
  test("a rule switched off keeps and clears what it has raised", () => {
    const { engine } = changed();
    engine.setRules([rule({ enabled: false })], directory, 120 * S);
    const { episodes } = engine.step("live", [], 400 * S);
    expect(episodes.map((e) => [e.key, e.episode.clearedBy])).toEqual([["10.0.0.1", "quiet"]]);
    expect(engine.step("live", [record(500, "10.0.0.1"), record(501, "10.0.0.1")], 400 * S).episodes).toEqual([]);
  });
});

describe("rules", () => {
  test.each([
    ["a filter that cannot be read", { filter: "sevrity is error" }, "column 1"],
    ["a filter that names a time", { filter: "time last 1 h" }, "cannot name a time"],
    ["a key that is no field", { key: ["nonsense"] }, "expected a field"],
    ["an id with spaces", { id: "a b" }, "lower-case"],
  ])("%s is refused", (_what, over, message) => {
    const parsed = Rule.safeParse({ ...shippedRules()[0], ...over });
    expect(parsed.success ? "" : parsed.error.message).toContain(message);
  });
  test("the shipped rules are valid and read as sentences", () => {
    for (const rule of shippedRules()) expect(Rule.parse(rule)).toEqual(rule);
    expect(sayRule(shippedRules()[0]!)).toBe(
      "Raise error when 10 records within 5 min with the same src match: category is logon and outcome is failure. It becomes critical from 200 records on. It clears after 15 min without one.",
    );
  });
  test("entities by name", () =>
    expect(entityValues("user", [entityCode("user", "a"), entityCode("src", "x")], new SenderDirectory([]))).toEqual([
      "a",
    ]));
});

test("a storm of one key in one step, more than a call takes arguments, is one episode", () => {
  const engine = new RuleEngine([rule()], directory, ZONE);
  const one = testRecord({ src: "10.0.0.1", category: "logon" });
  const batch = (from: number, n: number) =>
    Array.from({ length: n }, (_, i) => ({ ...one, id: String(from + i), timeUs: from + i }));
  engine.step("live", batch(1, 10), 0);
  const { episodes } = engine.step("live", batch(100, 130_000), 0);
  expect(episodes.map((e) => e.episode.count)).toEqual([130_010]);
});

describe("what does not know yet what is usual says so, and raises nothing (semantics 24)", () => {
  const HOUR = 3_600;
  const flows = (day: number, bytes: number) =>
    testRecord({ id: String(day + 1), timeUs: (day * 24 * HOUR + 60) * S, src: "10.0.0.1", category: "logon", bytes });
  test.each([
    [
      "a baseline: five days of this hour",
      {
        kind: "departure",
        measure: { of: "sum", field: "bytes" },
        everySeconds: HOUR,
        judgement: { by: "baseline", side: "over" },
        clear: { by: "condition" },
      },
      5,
    ],
    [
      "control limits: its training",
      {
        kind: "departure",
        measure: { of: "value", field: "bytes" },
        judgement: { by: "ewma", training: 6 },
        clear: { by: "condition" },
      },
      5,
    ],
    ["a first sighting: its days of learning", { kind: "first", unseenDays: 30, learningDays: 4 }, 4],
  ])("%s", (_what, over, days) => {
    const engine = new RuleEngine([rule(over)], directory, ZONE);
    for (let day = 0; day < days; day++) {
      engine.step("live", [flows(day, 100 + day)], day * 24 * HOUR * S);
      expect([day, engine.learning("r")]).toEqual([day, { keys: 1, learning: 1 }]);
    }
    engine.step("live", [flows(days, 100), flows(days + 1, 100)], (days + 1) * 24 * HOUR * S);
    expect(engine.learning("r")).toEqual({ keys: 1, learning: 0 });
  });
  test("a count knows from the first record on", () => {
    const engine = new RuleEngine([rule()], directory, ZONE);
    engine.step("live", [record(1, "10.0.0.1")], 0);
    expect(engine.learning("r")).toEqual({ keys: 1, learning: 0 });
  });
});
