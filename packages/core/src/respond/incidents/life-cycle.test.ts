import { type AttentionFacts, needsAttention, newSinceSeen } from "./index.js";

const MIN = 60e6;
test.each<[string, object, string[]]>([
  ["it goes on", { lastUs: 20 * MIN }, []],
  ["it goes on after a pause", { lastUs: 41 * MIN }, ["evidence after a pause"]],
  ["another entity", { entities: ["user\u0001a", "user\u0001b"], lastUs: 90 * MIN }, ["user\u0001b"]],
  ["a worse severity", { severity: 2 }, ["severity"]],
  ["a milder finding", { severity: 5 }, []],
  ["another rule", { rules: ["r", "q"] }, ["another rule"]],
])("acknowledged covers the evidence so far (semantics 26): %s", (_what, over, want) => {
  const seen = { severity: 4 as const, entities: ["user\u0001a"], rules: ["r"] };
  const now = { severity: 4 as const, entities: ["user\u0001a"], rules: ["r"], lastUs: 10 * MIN };
  expect(newSinceSeen(seen, { ...now, ...over }, 10 * MIN)).toEqual(want);
});

test.each<[string, Partial<AttentionFacts>, boolean]>([
  ["open, nobody has seen it", {}, true],
  ["seen", { acknowledged: true }, false],
  ["seen, with something new since", { acknowledged: true, newSinceSeen: true }, true],
  ["shelved", { shelved: true }, false],
  ["merged into another", { merged: true }, false],
  ["explained by another that stands for it", { folded: true }, false],
  ["a record or the value said that it is over", { state: "cleared" }, false],
  ["stopped, not judged", { state: "cleared", stopped: true }, true],
  ["stopped, and seen", { state: "cleared", stopped: true, acknowledged: true }, false],
  ["stopped, then closed by a person", { state: "closed", stopped: true }, false],
])("what needs a person (semantics 26): %s", (_what, over, needs) =>
  expect(
    needsAttention({
      state: "open",
      stopped: false,
      merged: false,
      folded: false,
      shelved: false,
      acknowledged: false,
      newSinceSeen: false,
      ...over,
    }),
  ).toBe(needs),
);
