import { parseFilter } from "../query/filter/index.js";
import { Technique } from "../respond/incidents/index.js";
import { askedFilter, Chart, Entry, linkPins, PaperFacts, Pinnable, QuestionSet, READY_QUESTIONS } from "./index.js";

describe("sets of questions", () => {
  test("twelve ship, each of their searches can be read, and no two have one name", () => {
    expect(READY_QUESTIONS).toHaveLength(12);
    for (const set of READY_QUESTIONS) expect(QuestionSet.parse(set)).toEqual(set);
    expect(new Set(READY_QUESTIONS.map((s) => s.name)).size).toBe(12);
  });

  test.each(['x" or user is "y', "back\\slash", 'a"b', "$value", "“curly”", "x) or (y", "$1", "$&"])(
    "whatever is asked of is a value and nothing else: %s",
    (value) => {
      const text = askedFilter("user is $value and not app is $value", value);
      const parsed = parseFilter(text, { zone: "UTC" });
      if (!parsed.ok) throw new Error(parsed.error.message);
      expect(parsed.filter).toMatchObject({
        type: "and",
        items: [{ type: "compare", field: "user" }, {}],
      });
      expect(JSON.stringify(parsed.filter).split(JSON.stringify(value).slice(1, -1)).length).toBeGreaterThan(2);
    },
  );

  test.each<[string, object, string]>([
    ["without the value", { asks: "x", filter: "user is anna" }, "$value"],
    ["that cannot be read", { asks: "x", filter: "usr is $value" }, "usr"],
    ["that asks nothing", { asks: "", filter: "user is $value" }, "what it asks"],
  ])("a search %s is refused with its place", (_, search, says) => {
    const read = QuestionSet.safeParse({ name: "x", of: "user", searches: [search] });
    expect(JSON.stringify(read.error?.issues)).toContain(says);
  });
});

test.each<[string, string]>([
  ["see #1 and #12, not #x", "see [#1](#pin-1) and [#12](#pin-12), not #x"],
  ["#3", "[#3](#pin-3)"],
  ["(#4), “#5”", "([#4](#pin-4)), “[#5](#pin-5)”"],
  ["a#6 ##7 &#8; http://x/#9 C# [#10](x)", "a#6 ##7 &#8; http://x/#9 C# [#10](x)"],
  ["`#1` and ```\n#2\n``` then #3", "`#1` and ```\n#2\n``` then [#3](#pin-3)"],
])("pins that are named in %j are links", (markdown, expected) => expect(linkPins(markdown)).toBe(expected));

test.each(["T1078", "t1070.001", " T1048 "])("a technique: %s", (id) =>
  expect(Technique.parse(id)).toBe(id.trim().toUpperCase()),
);
test.each(["T107", "TA0001", "T1070.1", "T1078 Valid", ""])("no technique: %j", (id) =>
  expect(Technique.safeParse(id).success).toBe(false),
);

test("a chart has a value, or says there is none, for every step", () => {
  const chart = { title: "x", unit: "records", steps: ["2026-11-26T00:00:00Z", "2026-11-26T01:00:00Z"] };
  expect(Chart.safeParse({ ...chart, series: [{ name: "a", values: [null] }] }).success).toBe(true);
  expect(Chart.safeParse({ ...chart, series: [{ name: "a", values: [1, 2] }] }).success).toBe(false);
  expect(Chart.safeParse({ ...chart, series: [{ name: "a", values: [Number.NaN] }] }).success).toBe(false);
});

test.each([
  [
    "a person twice",
    PaperFacts,
    {
      name: "x",
      people: [
        { name: "anna", may: "read" },
        { name: "anna", may: "write" },
      ],
    },
  ],
  ["no name", PaperFacts, { name: "  " }],
  ["a lane of nothing", PaperFacts, { name: "x", lanes: [{ kind: "user", value: "" }] }],
  ["a record that is none", Pinnable, { is: "record", id: "1; drop" }],
  [
    "what was counted is not told",
    Pinnable,
    { is: "search", from: "2026-11-26T00:00:00Z", to: "2026-11-27T00:00:00Z", count: 7 },
  ],
  ["a time without its zone", Pinnable, { is: "search", from: "2026-11-26T00:00:00", to: "2026-11-27T00:00:00Z" }],
  ["a hypothesis of nothing", Entry, { is: "hypothesis", text: "" }],
])("refused: %s", (_, schema, value) => expect(schema.safeParse(value).success).toBe(false));
