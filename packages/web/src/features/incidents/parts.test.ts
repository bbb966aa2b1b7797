import type { IncidentDetail } from "@halvik/contract/incidents";
import { partsOf } from "./parts";

const rule = (id: string, steps: string[] = [], version = 1) => ({ id, name: id.toUpperCase(), version, steps });
const finding = (of: string, kept: number) => ({ rule: of, kept });
const labels = (rules: object[], findings: object[]) =>
  partsOf({ rules, findings } as unknown as IncidentDetail).map((p) => [p.id, p.label]);

test.each([
  ["one rule", [rule("a")], [finding("a", 1_200)], [["a", "A, 1,200"]]],
  ["several findings of a rule are one part", [rule("a")], [finding("a", 2), finding("a", 3)], [["a", "A, 5"]]],
  ["two versions of a rule are one part", [rule("a", [], 1), rule("a", [], 2)], [finding("a", 2)], [["a", "A, 2"]]],
  [
    "steps stand under their rule",
    [rule("s", ["refused", "let in"]), rule("b")],
    [finding("s", 3), finding("b", 1)],
    [
      ["s", "S, 3"],
      ["s 0", "S, 1. refused"],
      ["s 1", "S, 2. let in"],
      ["b", "B, 1"],
    ],
  ],
  [
    "a rule of which nothing is kept is not offered",
    [rule("a"), rule("b")],
    [finding("a", 0), finding("b", 1)],
    [["b", "B, 1"]],
  ],
])("%s", (_what, rules, findings, expected) => {
  expect(labels(rules, findings)).toEqual([["all", "all rules"], ...expected]);
});
