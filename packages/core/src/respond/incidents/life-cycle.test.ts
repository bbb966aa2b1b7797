import { type AttentionFacts, needsAttention, newSinceSeen, placeFinding } from "./index.js";

const H = 3_600e6;
const earlier = (over: object) => ({
  id: 7,
  state: "closed" as const,
  closeReason: "fixed" as const,
  endedUs: 100 * H,
  ...over,
});

describe("where a finding goes (semantics 26)", () => {
  test.each([
    ["nothing before it", null, { to: "new", linkedTo: null }],
    [
      "one still open",
      earlier({ state: "open", closeReason: null, endedUs: null }),
      { to: "existing", incident: 7, returned: false },
    ],
    ["closed as fixed, within 24 h", earlier({}), { to: "existing", incident: 7, returned: true }],
    [
      "cleared by evidence, within 24 h",
      earlier({ state: "cleared", closeReason: null }),
      { to: "existing", incident: 7, returned: true },
    ],
    ["closed as expected: a new one, linked", earlier({ closeReason: "expected" }), { to: "new", linkedTo: 7 }],
    ["closed as false: a new one, linked", earlier({ closeReason: "false" }), { to: "new", linkedTo: 7 }],
    ["closed long ago", earlier({ endedUs: 10 * H }), { to: "new", linkedTo: null }],
  ])("%s", (_what, before, want) => expect(placeFinding(before, 110 * H)).toEqual(want));
});

test("acknowledged covers the evidence so far: repeats are not new, entities and worse severities are", () => {
  const seen = { severity: 4 as const, entities: ["user\u0001a"] };
  expect(newSinceSeen(seen, 4, ["user\u0001a"])).toEqual([]);
  expect(newSinceSeen(seen, 2, ["user\u0001a", "user\u0001b"])).toEqual(["severity", "user\u0001b"]);
});

test.each<[string, Partial<AttentionFacts>, boolean]>([
  ["open, nobody has seen it", {}, true],
  ["seen", { acknowledged: true }, false],
  ["seen, with something new since", { acknowledged: true, newSinceSeen: true }, true],
  ["shelved", { shelved: true }, false],
  ["merged into another", { merged: true }, false],
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
      shelved: false,
      acknowledged: false,
      newSinceSeen: false,
      ...over,
    }),
  ).toBe(needs),
);
