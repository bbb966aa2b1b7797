import { coverWeek, WEEKDAYS, type Weekday, type WeeklyWindow, weeklyWindowAt } from "./weekly-window.js";

const at = (text: string) => Date.parse(text) * 1_000;
const window = (from: string, to: string, days: Weekday[] = []): WeeklyWindow => ({ days, from, to });

// 2026-11-25 is a Wednesday (ISO 8601 calendar)
test.each([
  ["inside", window("02:00", "04:00"), "2026-11-25T03:00:00Z", "2026-11-25T04:00:00Z"],
  ["its first moment", window("02:00", "04:00"), "2026-11-25T02:00:00Z", "2026-11-25T04:00:00Z"],
  ["its end is outside", window("02:00", "04:00"), "2026-11-25T04:00:00Z", null],
  ["past midnight", window("22:00", "06:00"), "2026-11-25T23:30:00Z", "2026-11-26T06:00:00Z"],
  [
    "after midnight of the day it began",
    window("22:00", "06:00", ["tuesday"]),
    "2026-11-25T05:00:00Z",
    "2026-11-25T06:00:00Z",
  ],
  ["that day's own evening is another", window("22:00", "06:00", ["tuesday"]), "2026-11-25T23:00:00Z", null],
  ["a whole day", window("00:00", "00:00", ["wednesday"]), "2026-11-25T13:00:00Z", "2026-11-26T00:00:00Z"],
  ["another day", window("02:00", "04:00", ["monday", "sunday"]), "2026-11-25T03:00:00Z", null],
  ["before 1970", window("02:00", "04:00", ["wednesday"]), "1969-12-31T03:00:00Z", "1969-12-31T04:00:00Z"],
])("%s", (_what, w, moment, until) => {
  expect(weeklyWindowAt([w], at(moment), "UTC")?.untilUs ?? null).toBe(until === null ? null : at(until));
});

test("clock times are those of the zone, on the night the clocks go back too", () => {
  // Europe/Berlin: 2026-10-25, 03:00 CEST becomes 02:00 CET (IANA tz)
  const night = [window("01:00", "05:00")];
  expect(weeklyWindowAt(night, at("2026-10-24T23:30:00Z"), "Europe/Berlin")?.untilUs).toBe(at("2026-10-25T04:00:00Z"));
  expect(weeklyWindowAt(night, at("2026-10-25T03:59:00Z"), "Europe/Berlin")?.untilUs).toBe(at("2026-10-25T04:00:00Z"));
  expect(weeklyWindowAt(night, at("2026-10-25T04:00:00Z"), "Europe/Berlin")).toBeNull();
});

test("of several the one that lasts longest", () => {
  const two = [window("02:00", "04:00"), window("03:00", "09:00")];
  expect(weeklyWindowAt(two, at("2026-11-25T03:30:00Z"), "UTC")).toEqual({
    untilUs: at("2026-11-25T09:00:00Z"),
    window: two[1],
  });
});

test.each([
  ["none", [], false],
  ["a day, from midnight to midnight", [window("00:00", "00:00")], true],
  ["all but a minute", [window("00:01", "00:00")], false],
  ["two halves", [window("08:00", "20:00"), window("20:00", "08:00")], true],
  ["six days whole", [window("00:00", "00:00", [...WEEKDAYS.slice(0, 6)])], false],
  [
    "a Sunday that ends on Monday",
    [
      window("00:00", "00:00", [...WEEKDAYS.slice(1)]),
      window("12:00", "12:00", ["sunday"]),
      window("12:00", "00:00", ["monday"]),
    ],
    true,
  ],
] as const)("windows that leave no minute of the week free: %s", (_what, windows, expected) => {
  expect(coverWeek(windows)).toBe(expected);
});
