import { logicOf, type SavedState, shippedRules } from "@halvik/core/detect";
import { TestStore } from "../../../testing/test-store.js";
import { loadCheckpoint, saveStates } from "./checkpoint-repository.js";

/** What the engine goes on from, as it is kept in a real database. */
let store: TestStore;
beforeAll(async () => {
  store = await TestStore.start();
});
afterAll(() => store?.dispose());

const rule = shippedRules().find((r) => r.id === "refused-logons")!;
const other = shippedRules().find((r) => r.id === "interface-flapping")!;
const stateOf = (key: string, rest: unknown, of = rule, lane = "live") => ({
  ruleId: of.id,
  lane,
  key,
  logic: logicOf(of),
  state: { open: null, rest },
});
const saveOf = (states: readonly ReturnType<typeof stateOf>[]) =>
  saveStates(
    store.client,
    states.map((s) => ({ ...s, brief: null })),
  );
const byKey = (a: SavedState, b: SavedState) =>
  `${a.ruleId} ${a.lane} ${a.key}` < `${b.ruleId} ${b.lane} ${b.key}` ? -1 : 1;
const load = async (rules = [rule, other], except: readonly string[] = []) => {
  const parts: (readonly SavedState[])[] = [];
  for await (const part of (await loadCheckpoint(store.client, rules, except)).states) parts.push(part);
  return { parts, states: parts.flat().sort(byKey) };
};

test("every state comes back as it was, whatever stands in its key; long ones come in parts", async () => {
  const long = Array.from({ length: 40 }, (_, i) => stateOf(`long ${i}`, `${i} `.repeat(100_000)));
  const hostile = ['"', "\\", "\n", "],[", "\u2028 ’ é \u{1f600}", "{}", "'; drop table rule; --"];
  const all = [
    ...long,
    ...hostile.map((key) => stateOf(key, [[1, key, ["root"]]])),
    stateOf("same", [1], other),
    stateOf("same", [2], rule, "late"),
  ].sort(byKey);
  await saveOf(all);
  const { parts, states } = await load();
  expect(states).toEqual(all);
  expect(parts.length).toBeGreaterThan(3);
  for (const part of parts) expect(JSON.stringify(part).length).toBeLessThan(6_000_000);
});

test("a rule that failed is left alone; of one that is gone only what it left open stays", async () => {
  expect((await load([rule, other], [other.id])).states.some((s) => s.ruleId === other.id)).toBe(false);
  // it was neither read nor dropped
  expect((await load()).states.filter((s) => s.ruleId === other.id)).toEqual([stateOf("same", [1], other)]);
  expect((await load([rule])).states.some((s) => s.ruleId === other.id)).toBe(false);
  expect((await load()).states.some((s) => s.ruleId === other.id)).toBe(false);
});

test("nothing saved is nothing to go on from", async () => {
  await store.client.query("truncate engine_state");
  expect((await load()).states).toEqual([]);
});

test("what a state says in brief comes back beside its text, which nobody has read", async () => {
  const brief = {
    hasOpen: true,
    lastUs: 1_700_000_000_000_001,
    nextUs: Number.POSITIVE_INFINITY,
    near: 0.7,
    isLearning: false,
  };
  const never = { hasOpen: false, lastUs: 0, nextUs: 5, near: null, isLearning: true };
  await saveStates(store.client, [
    { ...stateOf("a", [1]), brief },
    { ...stateOf("b", [2]), brief: never },
  ]);
  const { states } = await load();
  expect(states).toEqual([
    { ...stateOf("a", []), state: { ...brief, text: '{"open":null,"rest":[1]}' } },
    { ...stateOf("b", []), state: { ...never, text: '{"open":null,"rest":[2]}' } },
  ]);
  // kept again by who says nothing in brief: it is read
  await saveOf([stateOf("a", [3])]);
  expect((await load()).states[0]).toEqual(stateOf("a", [3]));
});

// one value the database refuses would take all states of its step along
test("whatever a state says in brief is kept, or its text is read", async () => {
  await store.client.query("truncate engine_state");
  const plain = { hasOpen: false, lastUs: 1, nextUs: 2, near: null, isLearning: false };
  const briefs = [
    { ...plain, near: 1e12 },
    { ...plain, near: Number.NaN },
    { ...plain, near: Number.POSITIVE_INFINITY },
    { ...plain, lastUs: 1.5, nextUs: 2.5 },
    { ...plain, nextUs: Number.NEGATIVE_INFINITY },
    { ...plain, lastUs: Number.NEGATIVE_INFINITY },
    { ...plain, lastUs: Number.NaN },
  ];
  await saveStates(
    store.client,
    briefs.map((brief, i) => ({ ...stateOf(`key ${i}`, [i]), brief })),
  );
  const { states } = await load();
  expect(states.map((s) => ("text" in s.state ? [s.state.lastUs, s.state.nextUs, s.state.near] : "read"))).toEqual([
    [1, 2, 2_147_483.647],
    [1, 2, null],
    [1, 2, null],
    [1, 2, null],
    "read",
    "read",
    "read",
  ]);
});
