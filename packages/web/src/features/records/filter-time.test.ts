import { type Filter, parseFilter } from "@halvik/core/query/filter";
import { freshPage } from "../../testing/fresh-page";
import { isCutBy, windowOf } from "./filter-time";

freshPage();

const NOW = Date.UTC(2026, 10, 28, 12) * 1_000;
const HOUR = 3_600e6;
const SIX_HOURS = { spanUs: 6 * HOUR, endUs: null };
const filter = (text: string): Filter => {
  const parsed = parseFilter(text, {
    zone: "UTC",
    saved: [{ name: "mine", text: "time last 2 d and x", owner: "o" }] as never,
  });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
};
const at = (day: number, hour = 0) => Date.UTC(2026, 10, day, hour) * 1_000;

test.each([
  ["time last 3 d", { spanUs: 72 * HOUR, endUs: null }],
  ["time last 3 d and severity at least error", { spanUs: 72 * HOUR, endUs: null }],
  ["(x and time last 1 h) and y", { spanUs: HOUR, endUs: null }],
  ["time between 2026-11-24 02:00 and 2026-11-24 04:00", { spanUs: 2 * HOUR, endUs: at(24, 4) }],
  ["time at least 2026-11-27", { spanUs: 36 * HOUR, endUs: null }],
  ["time under 2026-11-20", { spanUs: 6 * HOUR, endUs: at(20) }],
  ['filter "mine"', { spanUs: 48 * HOUR, endUs: null }],
])("%s moves the window", (text, expected) => {
  const window = windowOf(filter(text), SIX_HOURS, NOW)!;
  expect(window.endUs).toBe(expected.endUs);
  expect(Math.abs(window.spanUs - expected.spanUs)).toBeLessThan(2);
});

test.each([
  "severity at least error",
  "not time last 3 d",
  "time last 3 d or x",
  "time last 1 h and time under 2026-11-20",
  "",
])("“%s” leaves it where it is", (text) => expect(windowOf(filter(text), SIX_HOURS, NOW)).toBeNull());

test.each([
  ["time last 3 d", SIX_HOURS, true],
  ["time last 3 d", { spanUs: 72 * HOUR, endUs: null }, false],
  ["time last 3 d", { spanUs: 72 * HOUR - 5e6, endUs: null }, false],
  ["time last 1 h", SIX_HOURS, false],
  ["time last 1 h", { spanUs: HOUR, endUs: at(27) }, true],
  ["time under 2026-11-20", { spanUs: HOUR, endUs: at(20) }, false],
  ["x", SIX_HOURS, false],
])("%s, window %j: cut is %s", (text, window, expected) => expect(isCutBy(window, filter(text), NOW)).toBe(expected));
