/** @jest-environment ./packages/web/src/testing/browser-environment.mjs */
import { incidentJson, recordJson } from "../../testing/answers";
import { tellStory } from "./story";

type Detail = Parameters<typeof tellStory>[0];
const T = "2026-11-28T02:1";
const finding = (over: object = {}) => ({
  id: 1,
  first: `${T}4:07.000000Z`,
  last: `${T}8:07.000000Z`,
  raised: `${T}5:00.000000Z`,
  count: 46,
  cleared: null,
  clearedBy: null,
  rule: "refused-logons",
  joined: "",
  entities: [],
  facts: [],
  steps: {},
  evidence: [recordJson({ id: "9", text: "the latest" }), recordJson({ id: "1", text: "the first" })],
  notShown: 44,
  gone: 0,
  ...over,
});
const story = (findings: object[], entities = [{ field: "src", value: "203.0.113.9" }]) =>
  tellStory({ incident: incidentJson({ entities }), findings } as unknown as Detail).map((s) => s.text);

test("it began where, was raised after how many, and how it ended", () => {
  expect(story([finding()])).toEqual([
    "It began on vpn-1: “the first”",
    "Raised: 46 records in 4 min, about 203.0.113.9.",
  ]);
});

test.each([
  ["quiet", "Stopped: nothing more for 1 min. Nobody has judged it yet."],
  ["record", "Cleared by a record."],
  ["condition", "Cleared: the value is back to usual."],
  ["hand", "Closed by a person."],
])("ended by %s", (clearedBy, says) => {
  expect(story([finding({ cleared: `${T}9:07.000000Z`, clearedBy })]).at(-1)).toBe(says);
});

test("one record is no count; evidence that is gone tells no beginning", () => {
  expect(story([finding({ count: 1 })])).toEqual(["It began on vpn-1: “the first”"]);
  expect(story([finding({ evidence: [] })])).toEqual(["Raised: 46 records in 4 min, about 203.0.113.9."]);
});

test("findings in the order they came; many names are cut, senders are not named twice", () => {
  const entities = ["a", "b", "c", "d"].map((value) => ({ field: "user", value }));
  const [, raised] = story([finding()], [{ field: "sender", value: "vpn-1" }, ...entities]);
  expect(raised).toBe("Raised: 46 records in 4 min, about a, b, c and 1 more.");
  const two = story([finding({ id: 2, count: 2 }), finding({ id: 1, count: 3 })]);
  expect(two.filter((t) => t.startsWith("Raised"))).toEqual([
    "Raised: 3 records in 4 min, about 203.0.113.9.",
    "Raised: 2 records in 4 min, about 203.0.113.9.",
  ]);
});
