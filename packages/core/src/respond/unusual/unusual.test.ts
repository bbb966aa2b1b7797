import { parseFilter } from "../../query/filter/index.js";
import { farAbove, firstSeen } from "./far.js";
import { looksOf } from "./looks.js";

test.each<[string, number, number[], object | null]>([
  ["far above", 61, [2, 0, 3, 1, 2, 2, 4], { now: 61, usual: 2, most: 4, days: 7 }],
  ["never before", 24, [0, 0, 0, 0], { now: 24, usual: 0, most: 0, days: 4 }],
  ["as on one other day", 60, [2, 0, 3, 60, 2, 2, 4], null],
  ["a little more than on one other day", 39, [0, 35, 0, 0, 12, 0], null],
  ["twice as much", 12, [6, 5, 6, 7, 6], null],
  ["too few to speak of", 4, [0, 0, 0, 0], null],
  ["too few days", 61, [2, 2], null],
  ["days that differ much anyway", 90, [10, 80, 25, 60, 5, 70], null],
])("an amount %s", (_what, now, before, expected) => {
  expect(farAbove(now, before, 5)).toEqual(expected);
});

test("what came for the first time", () => expect(firstSeen(["a", "b"], new Set(["b", "c"]))).toEqual(["a"]));

test("of each thing once, six at most; not of names that every machine has; every filter can be asked", () => {
  const things = [
    { field: "user", value: "root" },
    { field: "user", value: "k.lind" },
    { field: "src", value: "203.0.113.9" },
    { field: "dst", value: "203.0.113.9" },
    { field: "sender", value: "vpn 1" },
    { field: "process", value: "cmd" },
    ...Array.from({ length: 9 }, (_, i) => ({ field: "user", value: `u "${i}" is not` })),
  ];
  const looks = looksOf(things);
  expect(looks.map((l) => l.thing.value).slice(0, 3)).toEqual(["k.lind", "203.0.113.9", "vpn 1"]);
  expect(looks).toHaveLength(6);
  for (const look of looks)
    for (const filter of [look.all, ...look.counts.map((c) => c.filter), ...look.sights.map((s) => s.filter)])
      expect([filter, parseFilter(filter, { zone: "UTC" }).ok]).toEqual([filter, true]);
});
