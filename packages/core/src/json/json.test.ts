import fc from "fast-check";
import { flatten, JsonMapping, MAPPED_FIELDS, parseJsonRecords, USUAL_MAPPING } from "./index.js";

const read = (text: string) =>
  [...parseJsonRecords(text)].map((i) => ("json" in i ? i.json : `${i.problem.code} ${i.problem.message}`));

describe("the records of a body", () => {
  test.each<[string, string, readonly (string | RegExp)[]]>([
    ["nothing", " \n\t", []],
    ["one object", ' {"a":1} ', ['{"a":1}']],
    ["one object over several lines", '{\n "a": 1\n}', ['{\n "a": 1\n}']],
    ["an array", '[{"a":1}, {"b":[2]}]', ['{"a":1}', '{"b":[2]}']],
    ["an empty array", "[]", []],
    ["an object a line, with empty lines", '{"a":1}\n\n{"a":2}\r\n', ['{"a":1}', '{"a":2}']],
    ["a number", "7", ["BAD_JSON JSON record 1: expected an object, got number"]],
    ["null", "null", ["BAD_JSON JSON record 1: expected an object, got null"]],
    ["an array in the array", "[[1]]", ["BAD_JSON JSON record 1: expected an object, got an array"]],
    [
      "the good beside the bad, by place",
      '[{"a":1},2,{"a":3}]',
      ['{"a":1}', /record 2: expected an object/, '{"a":3}'],
    ],
    [
      "the good beside the bad, by line",
      '{"a":1}\n{"a":\n"text"\n{"a":3}',
      ['{"a":1}', /line 2/, /line 3: .*string/, '{"a":3}'],
    ],
    ["a body cut off", '[{"a":1},', [/line 1/]],
  ])("%s", (_what, text, want) => {
    const got = read(text);
    expect(got).toHaveLength(want.length);
    for (const [i, w] of want.entries()) expect(got[i]).toEqual(typeof w === "string" ? w : expect.stringMatching(w));
  });

  test("a record longer than the limit is refused with both numbers; its neighbours are taken", () => {
    const long = JSON.stringify({ a: "x".repeat(300_000) });
    expect(read(`{"b":1}\n${long}\n{"c":1}`)).toEqual([
      '{"b":1}',
      `BAD_JSON JSON line 2: expected at most 262144 characters, got ${long.length}`,
      '{"c":1}',
    ]);
  });

  test("any objects, as an array or as lines, come back in their order", () => {
    const records = fc.array(fc.dictionary(fc.string(), fc.jsonValue({ maxDepth: 2 })), { minLength: 2, maxLength: 6 });
    fc.assert(
      fc.property(records, (objects) => {
        const each = objects.map((o) => JSON.stringify(o));
        expect(read(each.join("\n"))).toEqual(each);
        expect(read(`[${each.join(",")}]`)).toEqual(each);
      }),
      { seed: 6, numRuns: 200 },
    );
  });
});

describe("leaves by their path", () => {
  test.each<[string, unknown, readonly (readonly [string, string])[]]>([
    [
      "members and places",
      { a: { b: [1, { c: "x" }] }, d: true },
      [
        ["a.b.0", "1"],
        ["a.b.1.c", "x"],
        ["d", "true"],
      ],
    ],
    ["what says nothing is passed over", { a: null, b: {}, c: [] }, []],
    ["a name with a dot is its path as it stands", { "a.b": 1 }, [["a.b", "1"]]],
    [
      "names of the language itself are names",
      JSON.parse('{"__proto__":{"x":1},"constructor":2}'),
      [
        ["__proto__.x", "1"],
        ["constructor", "2"],
      ],
    ],
    ["a value by itself", "v", [["", "v"]]],
  ])("%s", (_what, value, want) => expect(flatten(value)).toEqual(want));

  test("at most 200 of them, 4,000 characters each; what lies deeper than 16 is one", () => {
    expect(flatten(Array.from({ length: 500 }, (_, i) => i))).toHaveLength(200);
    expect(flatten({ a: "x".repeat(9_000) })[0]![1]).toHaveLength(4_000);
    let deep: unknown = { end: 1 };
    for (let i = 0; i < 40; i++) deep = { in: deep };
    const leaves = flatten(deep);
    expect(leaves).toHaveLength(1);
    expect(leaves[0]![0].split(".")).toHaveLength(16);
    expect(leaves[0]![1]).toContain('"end":1');
  });
});

test("a mapping names fields that exist and paths that are no novels", () => {
  expect(JsonMapping.safeParse(USUAL_MAPPING).success).toBe(true);
  expect(Object.keys(USUAL_MAPPING).sort()).toEqual([...MAPPED_FIELDS].sort());
  expect(JsonMapping.safeParse({ sorce: "a" }).success).toBe(false);
  expect(JsonMapping.safeParse({ src: "" }).success).toBe(false);
  expect(JsonMapping.safeParse({ src: "x".repeat(201) }).success).toBe(false);
});
