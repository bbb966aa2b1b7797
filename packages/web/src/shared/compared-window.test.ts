import { comparedWindow, difference, readComparison } from "./compared-window";

const us = (iso: string) => Date.parse(iso) * 1000;
const window = (from: string, to: string) => ({ fromUs: us(from), toUs: us(to) });

test.each([
  ["before", "2026-11-27T10:00:00Z", "2026-11-27T16:00:00Z", "2026-11-27T04:00:00Z", "2026-11-27T10:00:00Z"],
  ["day", "2026-11-27T10:00:00Z", "2026-11-27T16:00:00Z", "2026-11-26T10:00:00Z", "2026-11-26T16:00:00Z"],
  ["week", "2026-11-27T10:00:00Z", "2026-11-27T16:00:00Z", "2026-11-20T10:00:00Z", "2026-11-20T16:00:00Z"],
  // Europe/Oslo set its clocks back on 25 October 2026 at 03:00 (IANA time zone database)
  ["day", "2026-10-25T07:00:00Z", "2026-10-25T09:00:00Z", "2026-10-24T06:00:00Z", "2026-10-24T08:00:00Z"],
] as const)("%s %s – %s", (comparison, from, to, otherFrom, otherTo) => {
  expect(comparedWindow(comparison, window(from, to), "Europe/Oslo")).toEqual(window(otherFrom, otherTo));
});

test.each([
  [5, 5, ""],
  [5, 0, "new"],
  [1_205, 5, "+1,200"],
  [0, 3, "−3"],
])("%d after %d: “%s”", (now, before, text) => expect(difference(now, before)).toBe(text));

test("an address that names no comparison has none", () => expect(readComparison("year")).toBeNull());
