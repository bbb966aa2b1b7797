import { ago, clockMs, day, dayClock, dayMinute, dayOfMonth, hour, minute, setPresent, weekday } from "./time";

/** Saturday, 28 November 2026, 02:14:07.042 in Oslo. */
const AT = Date.UTC(2026, 10, 28, 1, 14, 7, 42) * 1_000;
const LAST_YEAR = Date.UTC(2025, 11, 31, 22, 59, 59) * 1_000;
const ZONE = "Europe/Oslo";
beforeEach(() => setPresent(AT, ZONE));
// what is known of the present is known to every part
afterAll(() => setPresent(AT, ZONE));

test.each([
  [clockMs(AT, ZONE), "02:14:07.042"],
  [minute(AT, ZONE), "02:14"],
  [hour(AT, ZONE), "02:00"],
  [weekday(AT, ZONE), "Sa 28"],
  [ago(AT, AT + 90e6), "1 min 30 s"],
  // a clock that was set back: nothing is in the future
  [ago(AT, AT - 90e6), "0 ms"],
])("%s", (shown, expected) => expect(shown).toBe(expected));

test("days of this year go without it, those of another have it: a file of last year is not of this one", () => {
  expect([day(AT, ZONE), dayMinute(AT, ZONE), dayClock(AT, ZONE)]).toEqual([
    "28 Nov",
    "28 Nov 02:14",
    "28 Nov 02:14:07",
  ]);
  expect([day(LAST_YEAR, ZONE), dayMinute(LAST_YEAR, ZONE)]).toEqual(["31 Dec 2025", "31 Dec 2025 23:59"]);
  // where there is no room for it
  expect(dayOfMonth(LAST_YEAR, ZONE)).toBe("31 Dec");
});

test("the year is that of the zone one reads in", () => {
  expect(day(LAST_YEAR, "Asia/Tokyo")).toBe("1 Jan");
  setPresent(Date.UTC(2027, 0, 1) * 1_000, "UTC");
  expect(day(AT, "UTC")).toBe("28 Nov 2026");
});
