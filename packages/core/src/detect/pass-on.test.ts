import { US_PER_DAY as D, US_PER_HOUR as H, US_PER_MINUTE as M } from "../base/time/index.js";
import { SenderDirectory } from "../model/senders/index.js";
import { testRecord } from "../testing/record.js";
import { Rule, RuleEngine, type StepResult } from "./index.js";

/** What an import learnt of the usual is known to the live lane when the import is over (`docs/semantics.md` 24). */
const directory = new SenderDirectory([]);
const common = {
  id: "r",
  name: "R",
  filter: "app is a",
  key: ["host"],
  severity: "error",
  title: "{host}",
};
const first = Rule.parse({
  ...common,
  kind: "first",
  unseenDays: 30,
  learningDays: 3,
  clear: { by: "quiet", seconds: 60 },
});
const usual = (side: "over" | "under" | "both" = "over") =>
  Rule.parse({
    ...common,
    kind: "departure",
    measure: { of: "sum", field: "bytes" },
    everySeconds: 3600,
    judgement: { by: "baseline", side, z: 3.5, least: 10 },
    clear: { by: "condition" },
  });
const START = 20_000 * D;
const at = (us: number, host: string, bytes = 0) =>
  testRecord({ id: String(us), timeUs: START + us, app: "a", host, bytes });
/** Every hour of so many days about a hundred. */
const history = (days: number, host = "h") =>
  Array.from({ length: days * 24 }, (_, i) => at(i * H + 10 * M, host, 98 + ((i * 7) % 5)));
const engineOf = (rule: Rule, from?: StepResult) =>
  new RuleEngine(
    [rule],
    directory,
    { zone: "UTC" },
    from && {
      states: from.states.flatMap((s) => (s.state === null ? [] : [{ ...s, state: s.state }])),
      earlier: [],
      since: new Map(),
    },
  );
const keysOf = (r: StepResult) => r.episodes.map((e) => e.key);

describe("what an import learnt", () => {
  test("first: the known is not new, the new is, from the first live record on", () => {
    const engine = engineOf(first);
    engine.step("import 1.0", [at(0, "old"), at(5 * D, "known")], START + 5 * D);
    const passed = engine.passOn("import 1.0", "live", START + 5 * D);
    expect(passed.states.map((s) => [s.lane, s.state === null])).toEqual(
      expect.arrayContaining([
        ["live", false],
        ["import 1.0", true],
      ]),
    );
    const live = [at(5 * D + H, "known"), at(5 * D + H + 1, "new")];
    expect(keysOf(engine.step("live", live, START + 5 * D))).toEqual(["new"]);
    // a restart knows it too
    expect(keysOf(engineOf(first, passed).step("live", live, START + 5 * D))).toEqual(["new"]);
    // what the import raised itself stays there until it is over
    expect(engine.passOn("import 1.0", "live", START + 5 * D).states).toEqual([]);
    expect(engine.sizeOf("import 1.0")).toBe(1);
    engine.step("import 1.0", [], START + 6 * D);
    engine.passOn("import 1.0", "live", START + 6 * D);
    expect(engine.sizeOf("import 1.0")).toBe(0);
  });

  test("first: an old capture of five minutes is no credit for the time since", () => {
    const engine = engineOf(first);
    engine.step("import 1.0", [at(0, "x"), at(5 * M, "y")], START + D);
    engine.passOn("import 1.0", "live", START + 20 * D);
    expect(keysOf(engine.step("live", [at(20 * D, "new")], START + 20 * D))).toEqual([]);
  });

  test("a baseline: five days of history, and the first live day is judged", () => {
    const end = 5 * D;
    const live = [at(end + 10 * M, "h", 900), at(end + 2 * H, "h", 100)];
    const alone = engineOf(usual());
    expect(keysOf(alone.step("live", live, START + end + 3 * H))).toEqual([]);
    const taught = engineOf(usual());
    taught.step("import 1.0", history(5), START + end);
    expect(taught.learning("r")).toEqual({ keys: 1, learning: 0 });
    taught.passOn("import 1.0", "live", START + end);
    const { episodes } = taught.step("live", live, START + end + 3 * H);
    expect(episodes.map((e) => [e.lane, e.episode.firstUs, Object.fromEntries(e.episode.facts).value])).toEqual([
      ["live", START + end, 900],
    ]);
  });

  test("an hour of which the import holds the beginning is measured whole", () => {
    const end = 5 * D + 20 * M;
    const engine = engineOf(usual("both"));
    engine.step("import 1.0", [...history(5), at(5 * D + 10 * M, "h", 60)], START + end);
    engine.step("live", [at(end + 10 * M, "h", 41)], START + end + M);
    engine.passOn("import 1.0", "live", START + end + M);
    expect(keysOf(engine.step("live", [], START + 5 * D + H + M))).toEqual([]);
    expect(keysOf(engine.step("live", [at(5 * D + H + 5 * M, "h", 1)], START + 5 * D + 2 * H))).toEqual(["h"]);
  });

  test("a source that never comes live is not judged, and is forgotten after two weeks", () => {
    const engine = engineOf(usual("under"));
    engine.step("import 1.0", history(5), START + 5 * D);
    engine.passOn("import 1.0", "live", START + 5 * D);
    expect(engine.step("live", [], START + 18 * D)).toEqual({ episodes: [], states: [] });
    expect(engine.sizeOf("live")).toBe(1);
    engine.step("live", [], START + 20 * D);
    expect(engine.sizeOf("live")).toBe(0);
  });

  test("a key with something open keeps what it needs to end it", () => {
    const engine = engineOf(usual());
    engine.step("import 1.0", [...history(5), at(5 * D + 10 * M, "h", 900)], START + 5 * D + H);
    expect(engine.passOn("import 1.0", "live", START + 5 * D + H).states).toEqual([]);
    expect(engine.step("import 1.0", [], START + 5 * D + 3 * H).episodes.map((e) => e.episode.clearedBy)).toEqual([
      "condition",
    ]);
    engine.passOn("import 1.0", "live", START + 5 * D + 3 * H);
    expect(engine.sizeOf("import 1.0")).toBe(0);
  });

  test("a rule with a line learns nothing, and nothing is passed on", () => {
    const engine = engineOf(
      Rule.parse({
        ...common,
        kind: "departure",
        measure: { of: "sum", field: "bytes" },
        everySeconds: 3600,
        judgement: { by: "line", side: "over", raiseAt: 100, clearAt: 50 },
        clear: { by: "condition" },
      }),
    );
    engine.step("import 1.0", [at(0, "h", 10)], START);
    expect(engine.passOn("import 1.0", "live", START).states).toEqual([]);
  });
});
