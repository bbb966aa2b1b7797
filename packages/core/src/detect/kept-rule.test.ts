import { readKeptRule, shippedRules } from "./index.js";

const RULE = {
  kind: "count",
  id: "refused",
  name: "Refused",
  filter: "failed",
  key: ["src"],
  count: 10,
  windowSeconds: 300,
  severity: "error",
  title: "{count} refused",
  clear: { by: "quiet", seconds: 900 },
};

test("every rule that ships is read as it was kept", () => {
  for (const rule of shippedRules()) {
    const kept = readKeptRule(JSON.parse(JSON.stringify(rule)))!;
    expect([kept.rule.id, kept.unreadable]).toEqual([rule.id, []]);
    expect(kept.rule).toEqual(rule);
  }
});

test("a filter that is not understood any more is shown as the text it is, and why it does not run", () => {
  const filter = 'colour is "red" and (';
  const kept = readKeptRule({ ...RULE, filter })!;
  expect(kept.unreadable.length).toBeGreaterThan(0);
  // fit to be described: it looks for that text
  expect(kept.rule).toMatchObject({ id: "refused", filter: '"colour is \\"red\\" and ("' });
  // and for whoever mends it, as it was
  expect(kept.original).toMatchObject({ filter });
});

test.each([
  [
    "within a condition",
    {
      kind: "together",
      parts: [{ filter: "colour is (" }, { filter: "b" }],
    },
  ],
  ["of what ends it", { clear: { by: "record", filter: "colour is (", key: ["src"] } }],
  ["of what makes it worse", { worse: [{ severity: "critical", filter: "colour is (" }] }],
])("a filter %s likewise", (_what, over) => {
  const { filter: _, count, ...rest } = RULE;
  const body = "kind" in over ? { ...rest, ...over } : { ...RULE, ...over };
  const kept = readKeptRule(body);
  expect(kept?.unreadable.length).toBeGreaterThan(0);
  expect(JSON.stringify(kept?.rule)).toContain("colour is (");
});

test.each([
  ["nothing", null],
  ["a text", "rule"],
  ["a list", [RULE]],
  ["one without a kind", { ...RULE, kind: undefined }],
  ["one whose count is none", { ...RULE, count: "many" }],
  ["one whose filter is none", { ...RULE, filter: 5 }],
])("%s never was a rule", (_what, body) => expect(readKeptRule(body)).toBeNull());

test("what was kept is not changed by being read", () => {
  const body = { ...RULE, filter: "colour is (" };
  const before = JSON.stringify(body);
  readKeptRule(body);
  expect(JSON.stringify(body)).toBe(before);
});
