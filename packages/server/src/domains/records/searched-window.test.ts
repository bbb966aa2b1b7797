import { formatUs } from "@halvik/core/base/time";
import { parseFilter } from "@halvik/core/query/filter";
import fc from "fast-check";
import { searchedWindow } from "./searched-window.js";

const NOW = Date.UTC(2026, 10, 28, 12) * 1_000;
const filterOf = (text: string) => {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
};
const of = (text: string, query: { from?: string; to?: string } = {}) => {
  const { fromUs, toUs } = searchedWindow(query, filterOf(text), NOW);
  return [formatUs(fromUs).slice(0, 16), formatUs(toUs).slice(0, 16)];
};

test.each([
  // the last 24 hours, with a minute of grace for clocks that are ahead
  ["app is cron", "2026-11-27T12:01", "2026-11-28T12:01"],
  ["time last 3 d", "2026-11-25T12:00", "2026-11-28T12:01"],
  ["time over 2024-01-01 and app is cron", "2024-01-01T00:00", "2026-11-28T12:01"],
  ["time between 2026-11-20 02:00 and 2026-11-20 04:00", "2026-11-20T02:00", "2026-11-20T04:00"],
  ["time under 2026-11-20", "2026-11-19T00:00", "2026-11-20T00:00"],
  // an end to come is none
  ["time under 2030-01-01", "2026-11-27T12:01", "2026-11-28T12:01"],
  ["time last 3 d and time under 2030-01-01", "2026-11-25T12:00", "2026-11-28T12:01"],
])("without from and to, %s searches %s to %s", (text, from, to) => expect(of(text)).toEqual([from, to]));

test.each([
  ["time over 2030-01-01", {}],
  ["time last 1 h and time under 2026-11-01", {}],
  ["time under 2026-11-01", { from: "2026-11-20T00:00:00Z" }],
  ["time over 2026-11-25", { from: "2026-11-20T00:00:00Z", to: "2026-11-21T00:00:00Z" }],
])("%s with %j leaves nothing, and is no mistake", (text, query) => {
  const [from, to] = of(text, query);
  expect(from).toBe(to);
});

test("a window that is asked for backwards is a mistake", () => {
  expect(() => of("", { from: "2026-11-21T00:00:00Z", to: "2026-11-20T00:00:00Z" })).toThrow("before");
});

test("never more than is asked for, never outside of what the filter names", () => {
  const moment = fc.integer({ min: 0, max: 4_000_000_000 }).map((s) => formatUs(s * 1e6));
  fc.assert(
    fc.property(fc.option(moment), fc.option(moment), moment, moment, (from, to, a, b) => {
      if (from !== null && to !== null && from >= to) return;
      if (from !== null && to === null && from >= formatUs(NOW)) return;
      const query = { ...(from === null ? {} : { from }), ...(to === null ? {} : { to }) };
      const [low, high] = a < b ? [a, b] : [b, a];
      const { fromUs, toUs } = searchedWindow(query, filterOf(`time at least ${low} and time under ${high}`), NOW);
      expect(fromUs).toBeLessThanOrEqual(toUs);
      if (fromUs === toUs) return;
      expect(formatUs(fromUs) >= low && formatUs(toUs) <= high).toBe(true);
      if (from !== null) expect(formatUs(fromUs) >= from).toBe(true);
      if (to !== null) expect(formatUs(toUs) <= to).toBe(true);
    }),
    { seed: 71 },
  );
});
