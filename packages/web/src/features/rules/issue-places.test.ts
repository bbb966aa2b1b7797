import { placesOf } from "./issue-places";

const FILE = "id: x\nkind: count\nfilter: ap is barrier and x\nclear:\n  by: quiet\nsteps:\n  - filter: user iz x\n";
const marked = (path: string, message: string) =>
  placesOf(FILE, [{ path, message }]).map(({ from, to }) => FILE.slice(from, to));

test.each([
  ["kind", "no such kind", "count"],
  ["filter", "column 1: there is no field", "ap is barrier and x"],
  ["filter", "column 4: expected a comparator", "is barrier and x"],
  ["steps.0.filter", "column 6: expected", "iz x"],
  // what is missing is shown at what should hold it
  ["clear.seconds", "expected a number", "by: quiet\n"],
  ["title", "expected a title", "id: x"],
  ["", "line 2, column 7: bad", "count"],
  ["", "something", "id: x"],
])("a mistake at “%s” (%s) is shown at “%s”", (path, message, at) => expect(marked(path, message)).toEqual([at]));

test("a file that cannot be read has places too", () => {
  expect(placesOf("a: [", [{ path: "", message: "line 1, column 5: never closed" }])).toEqual([
    { from: 4, to: 4, message: "line 1, column 5: never closed" },
  ]);
});
