import { CodeLists } from "./code-lists.js";

const code = (value: string): string => `user\u0001${value}`;

test("the same value is the same list, the same two lists are the same one", () => {
  const lists = new CodeLists();
  const alone = lists.alone(code);
  expect(alone("k.lind")).toEqual([code("k.lind")]);
  expect(alone("k.lind")).toBe(alone("k.lind"));
  const both = lists.join(alone("k.lind"), alone("owner"));
  expect(both).toEqual([code("k.lind"), code("owner")]);
  expect(lists.join(alone("k.lind"), alone("owner"))).toBe(both);
  expect(lists.join(both, alone("k.lind"))).toEqual([...both, code("k.lind")]);
});

test("nothing joined to a list is that list", () => {
  const lists = new CodeLists();
  const some = lists.alone(code)("k.lind");
  expect(lists.join(some, [])).toBe(some);
  expect(lists.join([], some)).toBe(some);
});

test("fields do not share lists: the same value of two of them is two things", () => {
  const lists = new CodeLists();
  expect(lists.alone(code)("a")).not.toEqual(lists.alone((v) => `host\u0001${v}`)("a"));
});

test("however many values come, or long ones, the answers are right and what is kept is bounded", () => {
  const lists = new CodeLists();
  const alone = lists.alone(code);
  const first = alone("0");
  const values = Array.from({ length: 25_000 }, (_, i) => String(i));
  expect(values.filter((value) => lists.join(alone(value), first)[0] !== code(value))).toEqual([]);
  // it was forgotten with the others, and made anew
  expect(alone("0")).not.toBe(first);
  expect(alone("0")).toEqual(first);
  const long = "x".repeat(1_000);
  expect(alone(long)).toEqual([code(long)]);
  expect(alone(long)).not.toBe(alone(long));
  const joined = () =>
    values.slice(0, 17).reduce<readonly string[]>((codes, value) => lists.join(codes, alone(value)), []);
  expect(joined()).toEqual(values.slice(0, 17).map(code));
  expect(joined()).not.toBe(joined());
});
