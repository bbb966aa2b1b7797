import fc from "fast-check";
import { flatten, type JsonItem, JsonMapping, JsonRecords, MAPPED_FIELDS, USUAL_NAMES } from "./index.js";

/** The records of a body that comes in one piece. */
function recordsOf(text: string): JsonItem[] {
  const records = new JsonRecords();
  return [...records.push(text), ...records.end()];
}

const read = (text: string) =>
  recordsOf(text).map((i) => ("json" in i ? i.json : `${i.problem.code} ${i.problem.message}`));

describe("the records of a body", () => {
  test.each<[string, string, readonly (string | RegExp)[]]>([
    ["nothing", " \n\t", []],
    ["one object", ' {"a":1} ', ['{"a":1}']],
    ["one object over several lines", '{\n "a": 1\n}', ['{\n "a": 1\n}']],
    ["an array", '[{"a":1}, {"b":[2]}]', ['{"a":1}', '{"b":[2]}']],
    ["an empty array", "[]", []],
    ["an object a line, with empty lines", '{"a":1}\n\n{"a":2}\r\n', ['{"a":1}', '{"a":2}']],
    ["a number", "7", ["BAD_JSON JSON line 1: expected an object, got number"]],
    ["null", "null", ["BAD_JSON JSON line 1: expected an object, got null"]],
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
    ["a body cut off", '[{"a":1},', ['{"a":1}', /line 1: expected \]/]],
    ["an array cut in a record", '[{"a":1},{"b', ['{"a":1}', /line 1: expected the end of record 2/]],
    ["several arrays", '[{"a":1}]\n[{"b":2}]', ['{"a":1}', '{"b":2}']],
    ["one after another without a line end", '{"a":1}{"b":2}', ['{"a":1}', '{"b":2}']],
    ["brackets and quotes in texts", '{"a":"}]\\"{"}\n{"b":1}', ['{"a":"}]\\"{"}', '{"b":1}']],
    ["a text broken off by the end of its line", '{"a":"x\n{"b":1}', [/line 1/, '{"b":1}']],
    ["a broken object over lines among whole ones", '{"a" 1,\n"b":2}\n{"c":3}', [/line 1/, /line 2/, '{"c":3}']],
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

  test("however it is cut into pieces, the records are the same", () => {
    const texts = [
      '[{"a":"\\"}"},7,{"b":[{}]}]\n{"c":\n1}\nnot json\n{"d":"é\\u0000"}',
      `{"a":"${"x".repeat(300_000)}"}\n{"b":1}\n[${"9".repeat(300_000)},{"c":1}]`,
    ];
    for (const text of texts) {
      const whole = read(text);
      for (const size of [1, 2, 3, 7, 1_000, 200_000]) {
        if (text.length / size > 1_000) continue;
        const records = new JsonRecords();
        const got: string[] = [];
        const take = (items: Iterable<JsonItem>) => {
          for (const i of items) got.push("json" in i ? i.json : `${i.problem.code} ${i.problem.message}`);
        };
        for (let at = 0; at < text.length; at += size) take(records.push(text.slice(at, at + size)));
        take(records.end());
        expect([size, got]).toEqual([size, whole]);
      }
    }
  });

  test("an object that never ends, and one nested deeper than a stack, cost time in proportion to their length", () => {
    expect(read('{"a":\n'.repeat(100_000)).length).toBeGreaterThan(90_000);
    expect(read(`{"a":${"[".repeat(100_000)}${"]".repeat(100_000)}}`)).toHaveLength(1);
    expect(read("[".repeat(3_000_000))).toHaveLength(1);
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
    // deeper than a stack: no call within a call for each
    let abyss: unknown = 1;
    for (let i = 0; i < 100_000; i++) abyss = [abyss];
    expect(flatten({ a: abyss })[0]![1]).toMatch(/^\[{4000}$/);
    const leaves = flatten(deep);
    expect(leaves).toHaveLength(1);
    expect(leaves[0]![0].split(".")).toHaveLength(16);
    expect(leaves[0]![1]).toContain('"end":1');
  });
});

test("a mapping names fields that exist and paths that are no novels", () => {
  for (const names of Object.values(USUAL_NAMES))
    for (const n of names) expect(JsonMapping.safeParse({ text: n }).success).toBe(true);
  expect(Object.keys(USUAL_NAMES).sort()).toEqual([...MAPPED_FIELDS].sort());
  expect(JsonMapping.safeParse({ sorce: "a" }).success).toBe(false);
  expect(JsonMapping.safeParse({ src: "" }).success).toBe(false);
  expect(JsonMapping.safeParse({ src: "x".repeat(201) }).success).toBe(false);
});
