import fc from "fast-check";
import { midnight, readMoment } from "./typed-moment.js";

/** Saturday, 28 November 2026, 12:30 UTC: 13:30 in Oslo. Zones by the tz database. */
const NOW = Date.UTC(2026, 10, 28, 12, 30) * 1_000;
const iso = (us: number | null) => (us === null ? null : new Date(us / 1_000).toISOString().replace(".000Z", "Z"));

test.each([
  ["now", "UTC", "2026-11-28T12:30:00Z"],
  ["today", "UTC", "2026-11-28T00:00:00Z"],
  ["today", "Europe/Oslo", "2026-11-27T23:00:00Z"],
  ["yesterday", "UTC", "2026-11-27T00:00:00Z"],
  ["yesterday 14:20", "UTC", "2026-11-27T14:20:00Z"],
  ["Yesterday, 14:20", "Europe/Oslo", "2026-11-27T13:20:00Z"],
  ["7:05", "UTC", "2026-11-28T07:05:00Z"],
  ["07:05:09", "Europe/Oslo", "2026-11-28T06:05:09Z"],
  ["24 Nov", "UTC", "2026-11-24T00:00:00Z"],
  ["Nov 24 02:00", "UTC", "2026-11-24T02:00:00Z"],
  ["24 november 02:00", "UTC", "2026-11-24T02:00:00Z"],
  ["24 Nov 2025 02:00", "UTC", "2025-11-24T02:00:00Z"],
  // later in the year than today: last year's
  ["24 Dec", "UTC", "2025-12-24T00:00:00Z"],
  ["28 Nov", "UTC", "2026-11-28T00:00:00Z"],
  ["2026-11-24", "Europe/Oslo", "2026-11-23T23:00:00Z"],
  ["2026-11-24 02:00", "Europe/Oslo", "2026-11-24T01:00:00Z"],
  ["2026-11-24T02:00:30Z", "Europe/Oslo", "2026-11-24T02:00:30Z"],
  ["2026-11-24T02:00:30+05:30", "UTC", "2026-11-23T20:30:30Z"],
  ["26 Nov 02:18:31 UTC", "Europe/Oslo", "2026-11-26T02:18:31Z"],
  ["26 Nov 02:18:31 Europe/Oslo", "UTC", "2026-11-26T01:18:31Z"],
  ["yesterday 14:20 +05:30", "UTC", "2026-11-27T08:50:00Z"],
  ["today -1200", "UTC", "2026-11-28T12:00:00Z"],
  ["now +0100", "UTC", "2026-11-28T12:30:00Z"],
  ["26 Nov 02:18:31.5", "UTC", "2026-11-26T02:18:31.500Z"],
  ["1795660711", "Europe/Oslo", "2026-11-26T02:38:31Z"],
  ["1795660711000", "UTC", "2026-11-26T02:38:31Z"],
  // clocks go forward at 02:00 on 29 March 2026 in Oslo: 02:30 is half an hour after 02:00
  ["2026-03-29 02:30", "Europe/Oslo", "2026-03-29T01:30:00Z"],
  ["2026-03-29", "Europe/Oslo", "2026-03-28T23:00:00Z"],
  ["2026-03-30", "Europe/Oslo", "2026-03-29T22:00:00Z"],
])("%s in %s is %s", (text, zone, expected) => expect(iso(readMoment(text, NOW, zone))).toBe(expected));

test.each([
  "",
  "soon",
  "25:00",
  "14:60",
  "31 Nov",
  "0 Nov",
  "24 Noon",
  "Nov",
  "24",
  "2026-02-29",
  "2026-13-01",
  "yesterday 24:00",
  "24 Nov 26",
  "today today",
  "26 Nov Europe/Nowhere",
  "UTC",
  "12345678",
])("“%s” is no moment", (text) => expect(readMoment(text, NOW, "UTC")).toBeNull());

test("a day begins at midnight by its zone's clock, however long it is", () => {
  // 25 October 2026 has 25 hours in Oslo
  const noon = Date.UTC(2026, 9, 25, 12) * 1_000;
  expect(iso(midnight(noon, "Europe/Oslo"))).toBe("2026-10-24T22:00:00Z");
  expect(iso(midnight(noon, "Europe/Oslo", 1))).toBe("2026-10-25T23:00:00Z");
  expect(iso(midnight(noon, "Europe/Oslo", -1))).toBe("2026-10-23T22:00:00Z");
});

test("what is written as a day and a clock is read back, whatever the moment", () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 4_000_000_000 }), (seconds) => {
      const us = seconds * 1e6;
      expect(readMoment(iso(us)!.replace("T", " ").replace("Z", ""), NOW, "UTC")).toBe(us);
    }),
    { seed: 61 },
  );
});

test("nothing typed makes it fail or hang", () => {
  fc.assert(
    fc.property(fc.string({ maxLength: 60 }), (text) => {
      const us = readMoment(text, NOW, "UTC");
      expect(us === null || Number.isFinite(us)).toBe(true);
    }),
    { seed: 62 },
  );
});
