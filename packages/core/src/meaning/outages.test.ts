import { type LinkRecord, outages } from "./outages.js";

const link = (id: string, seconds: number, outcome: string, over: Partial<LinkRecord> = {}): LinkRecord => ({
  id,
  timeUs: seconds * 1e6,
  sender: 1,
  interface: "ge0/1",
  category: "link",
  outcome,
  ...over,
});

test("down and up go together with what lies between them", () => {
  expect(Object.fromEntries(outages([link("a", 0, "failure"), link("b", 41, "success")]))).toEqual({
    a: { other: "b", end: "down", lastedUs: 41e6 },
    b: { other: "a", end: "up", lastedUs: 41e6 },
  });
});

test.each<[string, LinkRecord[], string[]]>([
  ["another interface", [link("a", 0, "failure"), link("b", 1, "success", { interface: "ge0/2" })], []],
  ["another sender", [link("a", 0, "failure"), link("b", 1, "success", { sender: 2 })], []],
  [
    "no interface named",
    [link("a", 0, "failure", { interface: null }), link("b", 1, "success", { interface: null })],
    [],
  ],
  ["no link", [link("a", 0, "failure", { category: "logon" }), link("b", 1, "success", { category: "logon" })], []],
  ["up before down", [link("a", 0, "success"), link("b", 1, "failure")], []],
  ["neither", [link("a", 0, "failure"), link("b", 1, "unknown")], []],
  [
    "each heard twice",
    [link("a", 0, "failure"), link("a2", 1, "failure"), link("b", 9, "success"), link("b2", 10, "success")],
    ["a 9", "a2 9", "b 9", "b2 9"],
  ],
  ["up again much later", [link("a", 0, "failure"), link("b", 5, "success"), link("c", 60, "success")], ["a 5", "b 5"]],
  [
    "twice over",
    [link("a", 0, "failure"), link("b", 5, "success"), link("c", 8, "failure"), link("d", 10, "success")],
    ["a 5", "b 5", "c 2", "d 2"],
  ],
])("%s", (_what, records, wanted) => {
  expect([...outages(records)].map(([id, o]) => `${id} ${o.lastedUs / 1e6}`)).toEqual(wanted);
});
