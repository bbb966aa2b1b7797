import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import fc from "fast-check";
import { timeMarks } from "./time-marks";

const at = (text: string) => Date.parse(text.includes("T") ? `${text}Z` : text) * 1_000;
const iso = (us: number) => new Date(us / 1_000).toISOString().slice(0, 16);
test.each([
  ["seconds", 5, "2026-11-28T10:59:50", "2026-11-28T11:00:10", "UTC", ":50 :55 11:00 :05 :10"],
  ["minutes", 6, "2026-11-28T23:58", "2026-11-29T00:03", "UTC", "23:58 23:59 [29_Nov] 00:01 00:02 00:03"],
  ["halves of hours", 14, "2026-11-28T22:30", "2026-11-29T01:00", "UTC", "22:30 23:00 23:30 [29_Nov] 00:30 01:00"],
  [
    "hours, a day begins among them",
    5,
    "2026-11-28T21:30",
    "2026-11-29T02:30",
    "UTC",
    "22:00 23:00 [29_Nov] 01:00 02:00",
  ],
  ["hours of a zone of halves", 6, "2026-11-28T10:00", "2026-11-28T14:00", "Asia/Kolkata", "16:00 17:00 18:00 19:00"],
  [
    "days of a zone, a month begins among them",
    5,
    "2026-11-28T12:00",
    "2026-12-03T12:00",
    "America/Bogota",
    "Su_29 Mo_30 [1_Dec] We_2 Th_3",
  ],
  [
    "weeks from Monday on",
    10,
    "2026-10-01",
    "2026-12-01",
    "UTC",
    "5_Oct 12_Oct 19_Oct 26_Oct 2_Nov 9_Nov 16_Nov 23_Nov 30_Nov",
  ],
  [
    "months, a year begins among them",
    14,
    "2026-06-10",
    "2027-03-10",
    "Europe/Oslo",
    "Jul Aug Sept Oct Nov Dec [2027] Feb Mar",
  ],
  ["quarters", 9, "2025-01-01", "2027-01-01", "UTC", "[2025] Apr Jul Oct [2026] Apr Jul Oct [2027]"],
  ["years", 9, "2019-06-01", "2027-06-01", "UTC", "[2020] [2021] [2022] [2023] [2024] [2025] [2026] [2027]"],
] as const)("%s, where there is room for %i", (_what, most, from, to, zone, expected) => {
  const marks = timeMarks(at(from), at(to), zone, most).map((m) => (m.begins ? `[${m.text}]` : m.text));
  expect(marks.map((text) => text.replace(" ", "_")).join(" ")).toBe(expected);
});

// clocks in Oslo: 2026-03-29 02:00 → 03:00, 2026-10-25 03:00 → 02:00 (IANA time zone database)
test("the hour that the clock leaves out has no mark, and none is there twice", () => {
  const spring = timeMarks(at("2026-03-28T22:30"), at("2026-03-29T04:30"), "Europe/Oslo", 7);
  expect(spring.map((m) => m.text)).toEqual(["29 Mar", "01:00", "03:00", "04:00", "05:00", "06:00"]);
  expect(new Set(spring.map((m) => m.us)).size).toBe(spring.length);
});

test("a day in which clocks are set begins at its midnight", () => {
  const days = timeMarks(at("2026-10-23T12:00"), at("2026-10-28T12:00"), "Europe/Oslo", 6);
  expect(days.map((m) => iso(m.us))).toEqual([
    "2026-10-23T22:00",
    "2026-10-24T22:00",
    "2026-10-25T23:00",
    "2026-10-26T23:00",
    "2026-10-27T23:00",
  ]);
});

test("of any stretch in any zone: within it, in order, about as many as there is room for", () => {
  const zone = fc.constantFrom("UTC", "Europe/Oslo", "America/St_Johns", "Australia/Lord_Howe", "Pacific/Apia");
  const span = fc.oneof(
    fc.integer({ min: 10 * US_PER_SECOND, max: 10 * US_PER_MINUTE }),
    fc.integer({ min: 10 * US_PER_MINUTE, max: 2 * US_PER_DAY }),
    fc.integer({ min: US_PER_DAY, max: 800 * US_PER_DAY }),
  );
  fc.assert(
    fc.property(fc.integer({ min: at("2024-01-01"), max: at("2027-01-01") }), span, zone, (fromUs, length, z) => {
      const marks = timeMarks(fromUs, fromUs + length, z);
      for (const [i, { us, text }] of marks.entries()) {
        expect(us >= fromUs && us <= fromUs + length).toBe(true);
        expect(text).not.toBe("");
        if (i > 0) expect(us).toBeGreaterThan(marks[i - 1]!.us);
      }
      expect(marks.length).toBeLessThanOrEqual(14 + 2);
      // what is longer than a moment has something to go by
      if (length > 4 * US_PER_HOUR) expect(marks.length).toBeGreaterThan(1);
    }),
  );
});
