import { asksForNew, type Filter, parseFilter, placesIn, readFilter, withNewShapes, withPlaces } from "./index.js";

const parse = (text: string, allowsAfter = true): Filter => {
  const parsed = parseFilter(text, { zone: "UTC", allowsAfter });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
};

test.each([
  ["shape is 17", "Shape is 17 (or no shape)."],
  ["shape in 17, 18", "Shape is 17 or is 18."],
  ["shape new", "A shape that was never seen before this time."],
  ["shape missing", "Without a shape."],
  ["shape is 17 and $1 is 10.0.0.1", "Shape is 17, and what stands in $1 is 10.0.0.1."],
  ["shape is 17 and $2 over 5", "Shape is 17, and what stands in $2 over 5."],
])("%s", (text, said) => {
  // what is asked of a field without a value is said of negations alone
  expect(readFilter(parse(text)).replace(" (or no shape)", "")).toBe(said.replace(" (or no shape)", ""));
});

test.each(["shape new", "shape is 17 and $1 is 5", "not shape new"])("a rule cannot ask: %s", (text) => {
  expect(() => parse(text, false)).toThrow(/stored records/);
});

test.each(["the shape of it", "shape", "$1 for the ferry", "$HOME is set", "$0 is 5"])(
  "%s is words, or refused",
  (text) => {
    const parsed = parseFilter(text, { zone: "UTC", allowsAfter: true });
    if (parsed.ok) expect(placesIn(parsed.filter)).toEqual([]);
  },
);

test("what is new is put in its place wherever it stands; where nothing is, nothing matches", () => {
  const filter = parse("severity at least error or not (app is x and shape new)");
  expect(asksForNew(filter)).not.toBeNull();
  const meant = withNewShapes(filter, [3, 4, 5, 9]);
  expect(asksForNew(meant)).toBeNull();
  expect(readFilter(meant)).toContain("shape from 3 to 5 or is 9");
  expect(readFilter(withNewShapes(parse("shape new"), []))).toContain("number between two whole ones");
});

test("a place belongs to the shape that is asked for beside it", () => {
  const of = (text: string) => placesIn(parse(text)).map((p) => [p.comparison.place, p.shape]);
  expect(of("shape is 17 and $1 is a")).toEqual([[1, 17]]);
  expect(of("$1 is a and shape is 17")).toEqual([[1, 17]]);
  expect(of("shape is 17 and ($1 is a or $2 is b)")).toEqual([
    [1, 17],
    [2, 17],
  ]);
  expect(of("(shape is 17 and $1 is a) or (shape is 18 and $1 is b)")).toEqual([
    [1, 17],
    [1, 18],
  ]);
  expect(of("shape in 17, 18 and $1 is a")).toEqual([[1, null]]);
  expect(of("not shape is 17 and $1 is a")).toEqual([[1, null]]);
  const filter = parse("shape is 17 and $1 is a");
  const [asked] = placesIn(filter);
  const shape = { tokens: ["a", " \u0002"], numbers: [1] };
  expect(placesIn(withPlaces(filter, new Map([[asked!.comparison, shape]])))[0]!.comparison.ofShape).toBe(shape);
});
