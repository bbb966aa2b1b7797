import { readRfc3339 } from "../../base/time/index.js";
import { followUpsOf, NotifyRoute, nextReminder, waitsUntil } from "./index.js";

const us = (text: string) => readRfc3339(text)!.us;
const route = (over: object = {}) =>
  NotifyRoute.parse({ name: "duty", to: ["duty@orvane.example"], zone: "Europe/Oslo", ...over });
const NIGHT = { quiet: [{ from: "22:00", to: "06:00" }] };
const WEEKEND = { quiet: [{ days: ["saturday", "sunday"], from: "00:00", to: "23:59" }] };

describe("a message that is due", () => {
  test.each<[string, object, 0 | 2 | 3 | 4, string, string | null]>([
    ["by day goes", NIGHT, 3, "2026-11-28T12:00:00+01:00", null],
    ["at night waits for the morning", NIGHT, 3, "2026-11-28T23:00:00+01:00", "2026-11-29T06:00:00+01:00"],
    ["after midnight too", NIGHT, 3, "2026-11-29T03:00:00+01:00", "2026-11-29T06:00:00+01:00"],
    ["at its end goes", NIGHT, 3, "2026-11-29T06:00:00+01:00", null],
    ["as severe as breaks it goes", NIGHT, 2, "2026-11-28T23:00:00+01:00", null],
    [
      "waits however severe, where nothing breaks it",
      { ...NIGHT, breaks: null },
      0,
      "2026-11-28T23:00:00+01:00",
      "2026-11-29T06:00:00+01:00",
    ],
    [
      "in the night clocks go back waits an hour more",
      NIGHT,
      3,
      "2026-10-24T23:00:00+02:00",
      "2026-10-25T06:00:00+01:00",
    ],
    ["on a day that is quiet", WEEKEND, 4, "2026-11-28T12:00:00+01:00", "2026-11-28T23:59:00+01:00"],
    ["on one that is not", WEEKEND, 4, "2026-11-27T12:00:00+01:00", null],
    [
      "waits for the digest",
      { digestAt: ["07:00", "15:00"] },
      3,
      "2026-11-28T08:00:00+01:00",
      "2026-11-28T15:00:00+01:00",
    ],
    ["of the next day", { digestAt: ["07:00", "15:00"] }, 3, "2026-11-28T15:00:01+01:00", "2026-11-29T07:00:00+01:00"],
    ["does not wait for it when it breaks", { digestAt: ["07:00"] }, 2, "2026-11-28T08:00:00+01:00", null],
  ])("%s", (_what, over, severity, now, until) => {
    expect(waitsUntil(route(over), severity, us(now), us(now))?.untilUs ?? null).toBe(until && us(until));
  });

  test("has waited for a digest once that has come, and says what it waits for", () => {
    const r = route({ digestAt: ["15:00"] });
    const [due, then] = [us("2026-11-28T08:00:00+01:00"), us("2026-11-28T15:00:00+01:00")];
    expect(waitsUntil(r, 3, due, due)?.why).toBe("for the digest of 15:00");
    expect(waitsUntil(r, 3, due, then)).toBeNull();
    expect(waitsUntil(route(NIGHT), 3, due, us("2026-11-28T23:00:00+01:00"))?.why).toBe("quiet hours until 06:00");
  });
});

describe("as long as nobody acknowledges it", () => {
  const r = route({
    repeatMinutes: 30,
    escalate: [
      { afterMinutes: 15, to: ["lead@orvane.example"] },
      { afterMinutes: 60, channels: [4] },
    ],
  });
  test("it goes on to the next ones, and is said again", () => {
    expect(followUpsOf(r, 0)).toEqual([
      { tells: "escalation", step: 1, dueUs: 15 * 60e6 },
      { tells: "escalation", step: 2, dueUs: 60 * 60e6 },
      { tells: "reminder", step: 0, dueUs: 30 * 60e6 },
    ]);
    expect(followUpsOf(route(), 0)).toEqual([]);
  });
  test("again and again, but not without end", () => {
    expect(nextReminder(r, 10, 5)).toEqual([{ tells: "reminder", step: 0, dueUs: 10 + 30 * 60e6 }]);
    expect(nextReminder(r, 10, 100)).toEqual([]);
  });
});

test.each([
  ["reaches nobody", { to: [] }, ["to"], "expected a mail address, a rota or a channel"],
  ["goes on to nobody", { escalate: [{ afterMinutes: 5 }] }, ["escalate", 0, "to"], "expected a mail address"],
  [
    "goes on to two at once",
    { escalate: [5, 5].map((afterMinutes) => ({ afterMinutes, to: ["a@b.example"] })) },
    ["escalate", 1, "afterMinutes"],
    "expected later",
  ],
  ["knows no such zone", { zone: "Mars/Olympus" }, ["zone"], "expected a time zone"],
  ["is quiet for no time", { quiet: [{ from: "06:00", to: "06:00" }] }, ["quiet", 0, "to"], "expected another time"],
])("a route that %s is refused", (_what, over, path, message) => {
  const read = NotifyRoute.safeParse({ name: "duty", to: ["duty@orvane.example"], ...over });
  expect(read.error?.issues[0]?.path).toEqual(path);
  expect(read.error?.issues[0]?.message).toContain(message);
});
