import { incidentJson } from "../../testing/answers";
import { GROUPS, grouped } from "./grouping";

const A = incidentJson({
  id: 1,
  sites: ["Orvane", "Hestnes"],
  tags: ["access"],
  entities: [
    { field: "user", value: "k.lind" },
    { field: "src", value: "203.0.113.9" },
  ],
});
const B = incidentJson({ id: 2, entities: [{ field: "user", value: "k.lind" }] });
const C = incidentJson({ id: 3, sites: ["Orvane"], entities: [], rule: { id: "x", name: "Other", version: 1 } });
const ids = (by: (typeof GROUPS)[number]) => grouped([A, B, C], by).map((g) => [g.name, g.incidents.map((i) => i.id)]);

test.each([
  ["nothing", [["", [1, 2, 3]]]],
  [
    "site",
    [
      ["Orvane", [1, 3]],
      ["no site", [2]],
    ],
  ],
  [
    "user",
    [
      ["k.lind", [1, 2]],
      ["no user", [3]],
    ],
  ],
  [
    "src",
    [
      ["203.0.113.9", [1]],
      ["no src", [2, 3]],
    ],
  ],
  [
    "tag",
    [
      ["access", [1]],
      ["no tag", [2, 3]],
    ],
  ],
  [
    "rule",
    [
      ["Repeated refused logons", [1, 2]],
      ["Other", [3]],
    ],
  ],
] as const)("by %s", (by, expected) => expect(ids(by)).toEqual(expected));

test("however grouped, each stands once, in the order of the queue", () => {
  for (const by of GROUPS) {
    const all = grouped([C, A, B], by).flatMap((g) => g.incidents);
    expect(all.map((i) => i.id).sort()).toEqual([1, 2, 3]);
    for (const g of grouped([C, A, B], by))
      expect(g.incidents).toEqual([C, A, B].filter((i) => g.incidents.includes(i)));
  }
  expect(grouped([], "site")).toEqual([]);
});
