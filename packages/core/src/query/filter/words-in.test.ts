import { dataNamesIn, type Filter, parseFilter, wordsIn, writtenValuesIn } from "./index.js";

const filter = (text: string): Filter => {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(`${text}: ${parsed.error.message}`);
  return parsed.filter;
};

test.each([
  ["sshd", ["sshd"]],
  ['failed and "invalid user"', ["failed", "invalid user"]],
  ["not failed and (failed or accepted)", ["failed", "accepted"]],
  ["host is failed", []],
  ["", []],
])("of %j the words looked for in messages are %j, each once and in order", (text, words) => {
  expect(wordsIn(filter(text)).map((w) => w.test.op === "has" && w.test.value)).toEqual(words);
});

test("each is a filter of its own, not what it was within a not", () => {
  const [word] = wordsIn(filter("not failed"));
  expect(word).toMatchObject({ type: "compare", field: "text", negated: false });
});

test.each([
  ['data "crane angle" over 40 and data ifOperStatus is down', ["crane angle", "ifOperStatus"]],
  ['not data "crane angle" over 40 or data "crane angle" present', ["crane angle"]],
  ["src is 10.0.0.1", []],
])("of %j the named values asked for are %j", (text, names) => {
  const asked = dataNamesIn(filter(text));
  expect(asked.map((n) => n.dataName)).toEqual(names);
  for (const one of asked) expect(one).toMatchObject({ negated: false, test: { op: "present" } });
});

test.each([
  ["event is linkDown", [[null, "linkdown"]]],
  [
    "event is linkDown, linkUp",
    [
      [null, "linkdown"],
      [null, "linkup"],
    ],
  ],
  ["not data ifOperStatus is down and failed", [["ifoperstatus", "down"]]],
  [
    "event is a and (event is a or data x is a)",
    [
      [null, "a"],
      ["x", "a"],
    ],
  ],
  ["event present and data x over 5", []],
] as [string, [string | null, string][]][])("of %j the values asked for are %j", (text, values) => {
  const found = writtenValuesIn(filter(text));
  expect(found.map((f) => [f.dataName?.toLowerCase() ?? null, f.value.toLowerCase()])).toEqual(values);
  for (const f of found) expect(f.alone).toMatchObject({ negated: false, test: { op: "oneOf", values: [f.value] } });
});
