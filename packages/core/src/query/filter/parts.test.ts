import fc from "fast-check";
import { filterParts, joinParts, parseFilter } from "./index.js";

const CONTEXT = { zone: "Europe/Oslo", saved: [{ name: "ours", text: "app is sshd or app is su" }] };
const tree = (text: string) => {
  const parsed = parseFilter(text, CONTEXT);
  if (!parsed.ok) throw new Error(`${text}: ${parsed.error.message}`);
  return JSON.stringify(parsed.filter, (key, value: unknown) => (key === "span" ? undefined : value));
};

test.each([
  ["", "and", []],
  [
    'severity at least error and app is "my app"',
    "and",
    [
      ["severity", "at least", "error"],
      ["app", "is", "my app"],
    ],
  ],
  [
    "src within 10.0.0.0/8 or user missing",
    "or",
    [
      ["src", "within", "10.0.0.0/8"],
      ["user", "missing", ""],
    ],
  ],
  ["dst port between 1 and 1023 and failed", "and", [["dst port", "between", "1 and 1023"], "failed"]],
  ['not (app is a or app is b) and "two words"', "and", ["not (app is a or app is b)", '"two words"']],
  ['filter "ours" and text has cron*', "and", ['filter "ours"', ["text", "has", "cron*"]]],
  ["app is sshd and host is a or app is su", "or", ["(app is sshd and host is a)", ["app", "is", "su"]]],
  ["app matches /a\\/b+/", "and", [["app", "matches", "/a\\/b+/"]]],
  [
    "app is not a and app not in b, c",
    "and",
    [
      ["app", "is not", "a"],
      ["app", "not in", "b, c"],
    ],
  ],
] as const)("%s", (text, joiner, want) => {
  const form = filterParts(text, CONTEXT)!;
  expect(form.joiner).toBe(joiner);
  expect(form.parts.map((p) => (p.type === "text" ? p.text : [p.field, p.comparator, p.value]))).toEqual(want);
  expect(tree(joinParts(form))).toBe(tree(text));
});

test("what is no filter has no form; lines not filled in are left out", () => {
  expect(filterParts("sevrity is error", CONTEXT)).toBeNull();
  expect(
    joinParts({
      joiner: "and",
      parts: [
        { type: "comparison", field: "app", comparator: "is", value: " " },
        { type: "comparison", field: "user", comparator: "present", value: "" },
        { type: "comparison", field: "app", comparator: "matches", value: "a/b" },
      ],
    }),
  ).toBe("user present and app matches /a\\/b/");
});

const ATOMS = [
  "(cron*)",
  '("a \\"quoted\\" phrase")',
  "app is sshd",
  'app is "and"',
  'app not in a, "b c"',
  "text matches /x(y|z)\\/+/",
  "severity at most notice",
  "src within 10.0.0.0/8, 192.0.2.1",
  "dst port between 1 and 1023",
  "bytes over 10 MB",
  "category is log tampering",
  "user missing",
  'data "user id" is x',
  "time last 2 h",
  "arrival over 2026-11-20T14:00",
  'filter "ours"',
];
const randomText = fc.letrec<{ text: string }>((tie) => ({
  text: fc.oneof(
    { maxDepth: 4 },
    fc.constantFrom(...ATOMS),
    tie("text").map((t) => `not (${t})`),
    fc.tuple(tie("text"), fc.constantFrom("and", "or"), tie("text")).map(([a, w, b]) => `${a} ${w} ${b}`),
    fc.tuple(tie("text"), fc.constantFrom("and", "or"), tie("text")).map(([a, w, b]) => `(${a}) ${w} (${b})`),
  ),
})).text;

test("any filter reads the same after a way through the form", () => {
  fc.assert(
    fc.property(randomText, (text) => {
      expect(tree(joinParts(filterParts(text, CONTEXT)!))).toBe(tree(text));
    }),
    { seed: 4, numRuns: 500 },
  );
});
