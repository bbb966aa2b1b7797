import { formatUs, readRfc3339, US_PER_HOUR } from "../base/time/index.js";
import { SenderDirectory } from "../model/senders/index.js";
import { parseFilter } from "../query/filter/index.js";
import { byTheWeek, MeasureAsked } from "../query/measure/index.js";
import {
  bandsOf,
  courseOfLimit,
  duesBetween,
  limitFrom,
  nearness,
  nextDue,
  Period,
  pointsOf,
  READY_REPORTS,
  ReportDefinition,
  Schedule,
  sayLimit,
  sayMeasure,
  sayPeriod,
  saySchedule,
  unitOf,
  windowBefore,
  windowOf,
} from "./index.js";

const us = (text: string) => readRfc3339(text)!.us;
const said = (n: number | null) => (n === null ? null : formatUs(n).replace(".000000", ""));

describe("periods by the clock of a zone", () => {
  // clocks in Oslo: 2026-03-29 02:00 → 03:00, 2026-10-25 03:00 → 02:00 (IANA time zone database)
  test.each<[string, object, string, string, string, string]>([
    [
      "whole days",
      { last: 7, unit: "day" },
      "Europe/Oslo",
      "2026-11-30T07:00:00Z",
      "2026-11-22T23:00:00Z",
      "2026-11-29T23:00:00Z",
    ],
    [
      "a day of 23 hours",
      { last: 1, unit: "day" },
      "Europe/Oslo",
      "2026-03-30T06:00:00Z",
      "2026-03-28T23:00:00Z",
      "2026-03-29T22:00:00Z",
    ],
    [
      "a day of 25 hours",
      { last: 1, unit: "day" },
      "Europe/Oslo",
      "2026-10-26T07:00:00Z",
      "2026-10-24T22:00:00Z",
      "2026-10-25T23:00:00Z",
    ],
    [
      "the previous 7 days as of Monday 08:00",
      { last: 7, unit: "day", whole: false },
      "Europe/Oslo",
      "2026-03-30T06:00:00Z",
      "2026-03-23T07:00:00Z",
      "2026-03-30T06:00:00Z",
    ],
    [
      "24 hours are 24 hours",
      { last: 24, unit: "hour", whole: false },
      "Europe/Oslo",
      "2026-03-29T12:00:00Z",
      "2026-03-28T12:00:00Z",
      "2026-03-29T12:00:00Z",
    ],
    [
      "the week before, from Monday",
      { last: 1, unit: "week" },
      "Europe/Oslo",
      "2026-11-29T12:00:00Z",
      "2026-11-15T23:00:00Z",
      "2026-11-22T23:00:00Z",
    ],
    [
      "two months, over New Year",
      { last: 2, unit: "month" },
      "Europe/Oslo",
      "2026-01-15T12:00:00Z",
      "2025-10-31T23:00:00Z",
      "2025-12-31T23:00:00Z",
    ],
    [
      "a month up to the 31st, from the last of February",
      { last: 1, unit: "month", whole: false },
      "UTC",
      "2026-03-31T08:00:00Z",
      "2026-02-28T08:00:00Z",
      "2026-03-31T08:00:00Z",
    ],
    [
      "hours where they begin at a quarter to",
      { last: 1, unit: "hour" },
      "Asia/Kathmandu",
      "2026-11-29T12:30:00Z",
      "2026-11-29T11:15:00Z",
      "2026-11-29T12:15:00Z",
    ],
  ])("%s", (_what, period, zone, at, from, to) => {
    const window = windowOf(Period.parse(period), us(at), zone);
    expect([said(window.fromUs), said(window.toUs)]).toEqual([from, to]);
  });

  test("the one before ends where it begins; of days with other hours it has as many days", () => {
    const day = Period.parse({ last: 1, unit: "day" });
    const window = windowOf(day, us("2026-03-30T06:00:00Z"), "Europe/Oslo");
    const before = windowBefore(day, window, "Europe/Oslo");
    expect([said(before.fromUs), before.toUs]).toEqual(["2026-03-27T23:00:00Z", window.fromUs]);
    const months = Period.parse({ last: 1, unit: "month", whole: false });
    const april = windowOf(months, us("2026-04-30T08:00:00Z"), "UTC");
    expect(said(windowBefore(months, april, "UTC").fromUs)).toBe("2026-02-28T08:00:00Z");
  });

  test("in words", () => {
    expect(sayPeriod(Period.parse({ last: 7, unit: "day" }))).toBe("the last whole 7 days");
    expect(sayPeriod(Period.parse({ last: 1, unit: "month", whole: false }))).toBe("the month up to then");
  });
});

describe("schedules", () => {
  const schedule = (when: object, zone = "Europe/Oslo") => Schedule.parse({ when, zone });
  test.each<[string, object, string, readonly string[]]>([
    [
      "daily, over the spring change: two o'clock comes not",
      { every: "day", at: "02:30" },
      "2026-03-27T12:00:00Z",
      ["2026-03-28T01:30:00Z", "2026-03-29T01:00:00Z", "2026-03-30T00:30:00Z"],
    ],
    [
      "daily, over the autumn change: half past two comes twice and is due once",
      { every: "day", at: "02:30" },
      "2026-10-24T12:00:00Z",
      ["2026-10-25T00:30:00Z", "2026-10-26T01:30:00Z"],
    ],
    [
      "Mondays at eight",
      { every: "week", on: "monday", at: "08:00" },
      "2026-10-20T12:00:00Z",
      ["2026-10-26T07:00:00Z", "2026-11-02T07:00:00Z"],
    ],
    ["Sundays", { every: "week", on: "sunday", at: "00:00" }, "2026-11-27T00:00:00Z", ["2026-11-28T23:00:00Z"]],
    [
      "the 31st, or the last there is",
      { every: "month", on: 31, at: "06:00" },
      "2026-01-31T12:00:00Z",
      ["2026-02-28T05:00:00Z", "2026-03-31T04:00:00Z", "2026-04-30T04:00:00Z"],
    ],
    [
      "the 29th in a year without one",
      { every: "month", on: 29, at: "06:00" },
      "2027-02-01T00:00:00Z",
      ["2027-02-28T05:00:00Z", "2027-03-29T04:00:00Z"],
    ],
    [
      "cron",
      { every: "cron", cron: "0 */6 * * 1-5" },
      "2026-11-27T16:00:00Z",
      ["2026-11-27T17:00:00Z", "2026-11-29T23:00:00Z"],
    ],
  ])("%s", (_what, when, from, dues) => {
    const of = schedule(when);
    let at: number | null = us(from);
    for (const want of dues) {
      at = nextDue(of, at!);
      expect(said(at)).toBe(want);
    }
    // what was missed is the same
    expect(duesBetween(of, us(from), at!, 50).map(said)).toEqual(dues);
  });

  test("the other half of the world", () => {
    // Sydney: 2026-10-04 02:00 → 03:00, 2026-04-05 03:00 → 02:00
    const of = schedule({ every: "day", at: "02:30" }, "Australia/Sydney");
    expect(said(nextDue(of, us("2026-10-03T12:00:00Z")))).toBe("2026-10-03T16:00:00Z");
    expect(duesBetween(of, us("2026-04-04T00:00:00Z"), us("2026-04-06T00:00:00Z"), 9).map(said)).toEqual([
      "2026-04-04T15:30:00Z",
      "2026-04-05T16:30:00Z",
    ]);
  });

  test("of what was missed for years the latest few, at once", () => {
    const every = schedule({ every: "cron", cron: "* * * * *" });
    const dues = duesBetween(every, 0, us("2026-11-27T12:00:00Z"), 31);
    expect(dues).toHaveLength(31);
    expect(said(dues[30]!)).toBe("2026-11-27T12:00:00Z");
  });

  test.each<[string, object]>([
    ["too few fields", { every: "cron", cron: "0 8 * *  " }],
    ["seconds", { every: "cron", cron: "0 0 8 * * *" }],
    ["no such minute", { every: "cron", cron: "61 8 * * *" }],
    ["no such day", { every: "cron", cron: "0 8 30 2 *" }],
    ["no clock time", { every: "day", at: "24:00" }],
    ["no day", { every: "month", on: 32, at: "08:00" }],
  ])("refused: %s", (_what, when) => {
    expect(Schedule.safeParse({ when, zone: "UTC" }).success).toBe(false);
  });

  test("in words", () => {
    expect(saySchedule(schedule({ every: "week", on: "monday", at: "08:00" }))).toBe(
      "every Monday at 08:00, Europe/Oslo",
    );
  });
});

describe("a limit in words", () => {
  const limit = {
    name: "L",
    side: "over" as const,
    raiseAt: 800e6,
    unit: "bytes",
    everySeconds: 600,
    key: ["k.lind"],
    why: "",
  };
  test.each<[string, Partial<Parameters<typeof sayLimit>[0]>, string]>([
    ["on its way", { near: 0.43 }, "“L” over 800 MB in 10 min: 43 % of the way (k.lind)"],
    ["far beyond", { near: 83_718.3, key: [] }, "“L” over 800 MB in 10 min: × 83,718 the line"],
    ["by its own usual", { raiseAt: null, side: "usual", near: null }, "“L” by its own usual in 10 min"],
    [
      "not measured",
      { near: null, why: "there was nothing of it" },
      "“L” over 800 MB in 10 min: there was nothing of it",
    ],
  ])("%s", (_what, more, want) => expect(sayLimit({ ...limit, near: null, ...more })).toBe(want));
});

describe("bands of a profile", () => {
  const rows = [
    { labels: ["a"], steps: [5, null, null], exact: true },
    { labels: ["b"], steps: ["2", 1, null], exact: false },
  ];
  test.each<[string, Parameters<typeof bandsOf>[0], unknown]>([
    [
      "what is left of the whole are the others",
      { rows, total: { steps: [9, 1, 0], exact: false }, addsUp: true, gaps: [] },
      [
        { name: "a", exact: true, steps: [5, 0, 0] },
        { name: "b", exact: false, steps: [2, 1, 0] },
        { name: "others", exact: false, steps: [2, 0, 0] },
      ],
    ],
    [
      "nothing is left; a gap is none of them",
      { rows, total: { steps: [7, 1, null], exact: false }, addsUp: true, gaps: [2] },
      [
        { name: "a", exact: true, steps: [5, 0, null] },
        { name: "b", exact: false, steps: [2, 1, null] },
      ],
    ],
    [
      "records with several values count under each: less than nothing is left",
      { rows, total: { steps: [6, 1, 0], exact: false }, addsUp: true, gaps: [] },
      [
        { name: "a", exact: true, steps: [5, 0, 0] },
        { name: "b", exact: false, steps: [2, 1, 0] },
      ],
    ],
    [
      "figures that do not add up have no others",
      { rows, total: { steps: [9, 1, 0], exact: false }, addsUp: false, gaps: [] },
      [
        { name: "a", exact: true, steps: [5, null, null] },
        { name: "b", exact: false, steps: [2, 1, null] },
      ],
    ],
  ])("%s", (_what, profiled, want) => expect(bandsOf(profiled)).toEqual(want));
});

describe("limits", () => {
  const records = MeasureAsked.parse({});
  const bytes = MeasureAsked.parse({ figure: { of: "sum", number: { field: "bytes" } } });
  const DAY = 86_400;
  test.each<[string, Parameters<typeof limitFrom>, object | null]>([
    [
      "of a week: by the hour",
      [records, 1_680, 7 * DAY],
      { measure: { of: "records" }, everySeconds: 3_600, lookEverySeconds: 300, raiseAt: 20, clearAt: 16 },
    ],
    [
      "of an hour: by five minutes",
      [records, 120, 3_600],
      { measure: { of: "records" }, everySeconds: 300, lookEverySeconds: 60, raiseAt: 20, clearAt: 16 },
    ],
    [
      "bytes beyond 2^53, in digits",
      [bytes, "18000000000000000000", DAY],
      {
        measure: { of: "sum", field: "bytes" },
        everySeconds: 3_600,
        lookEverySeconds: 300,
        raiseAt: 1.5e18,
        clearAt: 1.2e18,
      },
    ],
    [
      "a rate of bytes is in bits",
      [{ ...bytes, perSecond: true }, 8_000, DAY],
      {
        measure: { of: "sum", field: "bytes" },
        everySeconds: 3_600,
        lookEverySeconds: 300,
        raiseAt: 7_200_000,
        clearAt: 5_800_000,
      },
    ],
    [
      "next to nothing",
      [records, 1, 7 * DAY],
      { measure: { of: "records" }, everySeconds: 3_600, lookEverySeconds: 300, raiseAt: 1, clearAt: 1 },
    ],
    ["nothing at all", [records, null, DAY], null],
    [
      "what no rule guards",
      [MeasureAsked.parse({ figure: { of: "distinct", values: { field: "src" } } }), 5, DAY],
      null,
    ],
  ])("%s", (_what, asked, want) => expect(limitFrom(...asked)).toEqual(want));

  test.each<[string, { everySeconds: number; lookEverySeconds?: number }, number, number, number, string]>([
    ["of hours, one after the other", { everySeconds: 3_600 }, 24, 3_600, 1, "2026-11-26T12:00:00Z"],
    [
      "of an hour, every five minutes",
      { everySeconds: 3_600, lookEverySeconds: 300 },
      96,
      900,
      4,
      "2026-11-26T12:35:00Z",
    ],
    [
      "of a short time, as far as there is room",
      { everySeconds: 60, lookEverySeconds: 10 },
      96,
      60,
      1,
      "2026-11-26T12:38:50Z",
    ],
  ])("a course %s", (_what, limit, points, stepSeconds, perPoint, end) => {
    const course = courseOfLimit(limit, us("2026-11-26T12:38:57Z"));
    expect(course).toMatchObject({ stepSeconds, perPoint });
    expect(pointsOf(course.steps.slice(1), perPoint)).toHaveLength(points);
    expect(said(course.steps[course.steps.length - 1]!)).toBe(end);
  });
  test("points of a course are sums of steps that follow one another", () =>
    expect(pointsOf([1, null, 2n, 4], 3)).toEqual([3, 6]));

  test.each<[number | null, "over" | "under", number, number | null]>([
    [50, "over", 100, 0.5],
    [120, "over", 100, 1.2],
    [200, "under", 100, 0.5],
    [80, "under", 100, 1.25],
    [0, "under", 100, 2],
    [null, "over", 100, null],
    [5, "over", 0, null],
  ])("%s %s %s is %s of the way", (value, side, raiseAt, want) => expect(nearness(value, side, raiseAt)).toBe(want));
});

describe("reports", () => {
  const directory = new SenderDirectory([]);
  test.each(READY_REPORTS.map((r) => [r.name, r] as const))(
    "%s: its filters are filters, its words are said",
    (_name, report) => {
      for (const part of report.parts) {
        const measure = "measure" in part && "filter" in part.measure ? part.measure : null;
        const filters = part.is === "records" ? [part.filter] : measure !== null ? [measure.filter] : [];
        if (measure?.figure.of === "share") filters.push(measure.figure.filter);
        for (const filter of filters)
          expect(parseFilter(filter, { zone: "UTC", directory })).toMatchObject({ ok: true });
        if ("measure" in part) {
          const said = part.is === "hours of the week" ? byTheWeek(part.measure) : part.measure;
          expect(sayMeasure(said)).not.toBe("");
        }
      }
    },
  );

  const part = (measure: object, is = "table") => ({
    name: "r",
    period: { last: 1, unit: "day" },
    parts: [{ is, title: "t", measure }],
  });
  test.each<[string, object]>([
    ["no parts", { name: "r", period: { last: 1, unit: "day" }, parts: [] }],
    ["a table of nothing", part({})],
    ["three groupings", part({ by: [{ field: "a" }, { field: "b" }, { field: "c" }] })],
    ["a sum of text", part({ figure: { of: "sum", number: { field: "host" } } }, "figure")],
    ["more than all", part({ by: [{ field: "host" }], top: 101 })],
    ["a period without end", { ...part({}, "figure"), period: { last: 0, unit: "day" } }],
  ])("refused: %s", (_what, report) => expect(ReportDefinition.safeParse(report).success).toBe(false));

  test.each<[object, string, string]>([
    [{ figure: { of: "records" }, by: [], perSecond: true }, "records, by the second", "records/s"],
    [
      {
        figure: { of: "sum", number: { field: "bytes" } },
        by: [{ field: "src" }, { sender: "site" }],
        perSecond: true,
      },
      "bytes, by the second by src and site",
      "bits/s",
    ],
    [
      { figure: { of: "p95", number: { data: "answer time" } }, by: [{ clock: "hour of day" }], perSecond: false },
      "p95 of answer time by hour of day",
      "",
    ],
    [
      { figure: { of: "distinct", values: { field: "host" } }, by: [], perSecond: false },
      "different values of host",
      "values",
    ],
  ])("a measure in words: %j", (measure, words, unit) => {
    expect([sayMeasure(measure as never), unitOf(measure as never)]).toEqual([words, unit]);
  });
});

test("an hour that comes twice is two", () => {
  const day = windowOf(Period.parse({ last: 1, unit: "day" }), us("2026-10-26T07:00:00Z"), "Europe/Oslo");
  expect((day.toUs - day.fromUs) / US_PER_HOUR).toBe(25);
});
