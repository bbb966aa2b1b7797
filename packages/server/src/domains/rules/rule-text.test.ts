import { Rule, shippedRules } from "@halvik/core/detect";
import { readRule, writeRule } from "./rule-text.js";

test("every shipped rule as a file reads back as itself", () => {
  for (const rule of shippedRules()) expect(readRule(writeRule(rule))).toEqual({ rule, issues: [] });
});
test("what is at its default is left out of the file", () => {
  const rule = Rule.parse({
    kind: "count",
    id: "a",
    name: "A",
    filter: "app is a",
    key: [],
    count: 1,
    windowSeconds: 60,
    severity: "error",
    title: "t",
    clear: { by: "hand" },
  });
  expect(writeRule(rule)).toBe(
    "id: a\nname: A\nkind: count\nseverity: error\nfilter: app is a\nkey: []\ntitle: t\nclear:\n  by: hand\ncount: 1\nwindowSeconds: 60\n",
  );
});
test.each([
  ["no YAML", "a: [1", "line 1"],
  ["no rule", "hello", ""],
  ["an unknown kind", "kind: guess", "kind"],
  ["a filter with a mistake", writeRule(shippedRules()[0]!).replace("category is", "categry is"), "filter"],
  ["a bomb of aliases", `a: &a [1,1]\nb: &b [*a,*a,*a,*a,*a,*a,*a]\nc: [*b,*b,*b,*b,*b,*b,*b,*b]`, ""],
])("%s is refused with its place", (_what, text, place) => {
  const { rule, issues } = readRule(text);
  expect(rule).toBeNull();
  expect(issues.some((i) => `${i.path} ${i.message}`.includes(place))).toBe(true);
});
