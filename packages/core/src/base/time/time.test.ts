import fc from "fast-check";
import {
  civilFromDays,
  civilToUs,
  clockToInstant,
  formatDuration,
  formatUs,
  readRfc3339,
  readSeconds,
  US_PER_DAY,
  writeSeconds,
  zoneOffsetUs,
} from "./index.js";

describe("RFC 3339 section 5.8, examples", () => {
  test.each([
    ["1985-04-12T23:20:50.52Z", Date.UTC(1985, 3, 12, 23, 20, 50, 520) * 1000],
    ["1996-12-19T16:39:57-08:00", Date.UTC(1996, 11, 20, 0, 39, 57) * 1000],
    ["1937-01-01T12:00:27.87+00:20", Date.UTC(1937, 0, 1, 11, 40, 27, 870) * 1000],
  ])("%s", (text, us) => expect(readRfc3339(text)).toMatchObject({ us, end: text.length }));
  test("a leap second counts as the second before", () => {
    expect(readRfc3339("1990-12-31T23:59:60Z")?.us).toBe(Date.UTC(1990, 11, 31, 23, 59, 59) * 1000);
  });
  test.each([
    "2003-02-29T00:00:00Z",
    "2003-13-01T00:00:00Z",
    "2003-10-11T24:00:00Z",
    "2003-10-11T22:14:15.Z",
    "2003-10-11",
    "20031011T221415Z",
  ])("%s is refused", (text) => {
    expect(readRfc3339(text)).toBeNull();
  });
  test("digits beyond microseconds are cut, not rounded", () => {
    expect(readRfc3339("2003-10-11T22:14:15.9999999Z")!.us % 1_000_000).toBe(999_999);
  });
});

test("civil dates agree with the runtime's calendar", () => {
  fc.assert(
    fc.property(fc.integer({ min: -200_000, max: 200_000 }), (days) => {
      const d = new Date(days * 86_400_000);
      expect(civilFromDays(days)).toEqual({
        year: d.getUTCFullYear(),
        month: d.getUTCMonth() + 1,
        day: d.getUTCDate(),
      });
    }),
    { seed: 1, numRuns: 500 },
  );
});

test("formatUs and readRfc3339 are inverse", () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 4_000_000_000_000_000 }), (us) =>
      expect(readRfc3339(formatUs(us))?.us).toBe(us),
    ),
    { seed: 2, numRuns: 500 },
  );
});

describe("zones (IANA: Europe/Oslo 2026 changes on 29 March and 25 October at 01:00 UTC)", () => {
  test("offsets", () => {
    expect(zoneOffsetUs("Europe/Oslo", civilToUs(2026, 3, 29, 0, 59, 59))).toBe(3_600e6);
    expect(zoneOffsetUs("Europe/Oslo", civilToUs(2026, 3, 29, 1, 0, 0))).toBe(7_200e6);
  });
  test("a reading that occurs twice is the first", () => {
    expect(formatUs(clockToInstant("Europe/Oslo", civilToUs(2026, 10, 25, 2, 30, 0)))).toBe(
      "2026-10-25T00:30:00.000000Z",
    );
  });
  test("a reading that does not occur is read with the offset before the change", () => {
    expect(formatUs(clockToInstant("Europe/Oslo", civilToUs(2026, 3, 29, 2, 30, 0)))).toBe(
      "2026-03-29T01:30:00.000000Z",
    );
  });
  test("any instant comes back from its clock reading, but for the repeated hour", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: civilToUs(2020, 1, 1, 0, 0, 0) / 1e6, max: civilToUs(2030, 1, 1, 0, 0, 0) / 1e6 }),
        (seconds) => {
          const us = seconds * 1e6;
          const back = clockToInstant("Europe/Oslo", us + zoneOffsetUs("Europe/Oslo", us));
          expect([us, us - 3_600e6]).toContain(back);
        },
      ),
      { seed: 3, numRuns: 500 },
    );
  });
});

test.each([
  [400_000, "400 ms"],
  [40e6, "40 s"],
  [200e6, "3 min 20 s"],
  [3 * 3_600e6 + 1_200e6, "3 h 20 min"],
  [2 * US_PER_DAY, "2 d"],
])("%i µs is %s", (us, text) => {
  expect(formatDuration(us)).toBe(text);
});

test.each([
  [600, "10 min"],
  [5_400, "1 h 30 min"],
  [90, "1 min 30 s"],
  [88_500, "1 d 35 min"],
  [0.5, "0.5 s"],
  [0, "0 s"],
  [604_800, "7 d"],
])("%d s is written %s, and read again", (seconds, text) => {
  expect(writeSeconds(seconds)).toBe(text);
  expect(readSeconds(text)).toBe(seconds);
});

test.each([
  ["90", 90],
  ["90s", 90],
  ["1.5h", 5_400],
  ["2 Hours", 7_200],
  ["1h30min", 5_400],
  ["", null],
  ["soon", null],
  ["5 weeks", null],
  ["5 min ago", null],
  ["-5 s", null],
])("%j is %p seconds", (text, seconds) => expect(readSeconds(text)).toBe(seconds));
