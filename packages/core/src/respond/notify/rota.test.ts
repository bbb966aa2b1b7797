import { readRfc3339 } from "../../base/time/index.js";
import { onDuty, Rota } from "./rota.js";

const us = (text: string) => readRfc3339(text)!.us;
const person = (name: string) => ({ name, to: `${name}@orvane.example` });
const rota = (over: object = {}) =>
  Rota.parse({
    name: "night",
    zone: "Europe/Oslo",
    day: "monday",
    at: "08:00",
    from: "2026-10-12",
    people: ["a", "b", "c"].map(person),
    ...over,
  });

// Europe/Oslo goes back from +02:00 to +01:00 on 25 October 2026 at 01:00 UTC, and forward on 28 March 2027
test.each([
  ["the first week", "2026-10-12T08:00:00+02:00", {}, "a", "2026-10-19T08:00:00+02:00"],
  ["a second before the first handover", "2026-10-12T07:59:59+02:00", {}, "c", "2026-10-12T08:00:00+02:00"],
  ["the week in which clocks go back: 169 hours", "2026-10-20T00:00:00+02:00", {}, "b", "2026-10-26T08:00:00+01:00"],
  ["just before it is over, by the new clock", "2026-10-26T07:59:59+01:00", {}, "b", "2026-10-26T08:00:00+01:00"],
  ["the third", "2026-10-26T08:00:00+01:00", {}, "c", "2026-11-02T08:00:00+01:00"],
  ["round again", "2026-11-02T08:00:00+01:00", {}, "a", "2026-11-09T08:00:00+01:00"],
  ["years before it began", "2020-01-06T09:00:00+01:00", {}, "b", "2020-01-13T08:00:00+01:00"],
  [
    "a day of the week that is not its first",
    "2026-10-14T12:00:00+02:00",
    { from: "2026-10-15" },
    "a",
    "2026-10-19T08:00:00+02:00",
  ],
  [
    "another handover",
    "2026-10-16T17:00:00+02:00",
    { day: "friday", at: "17:00", from: "2026-10-16" },
    "a",
    "2026-10-23T17:00:00+02:00",
  ],
  [
    "a clock time that does not occur: read as before the change",
    "2027-03-28T03:30:00+02:00",
    { day: "sunday", at: "02:30", from: "2027-03-28" },
    "a",
    "2027-04-04T02:30:00+02:00",
  ],
  ["one alone", "2026-12-24T18:00:00+01:00", { people: [person("z")] }, "z", "2026-12-28T08:00:00+01:00"],
])("%s", (_what, at, over, name, until) => {
  const duty = onDuty(rota(over), us(at));
  expect([duty.name, duty.untilUs]).toEqual([name, us(until)]);
});

test("somebody instead, from and to a moment; who is on duty before it knows when it ends", () => {
  const r = rota({
    instead: [{ from: "2026-10-14T08:00:00+02:00", to: "2026-10-15T08:00:00+02:00", person: person("x") }],
  });
  expect(onDuty(r, us("2026-10-14T07:59:59+02:00"))).toMatchObject({
    name: "a",
    untilUs: us("2026-10-14T08:00:00+02:00"),
  });
  expect(onDuty(r, us("2026-10-14T08:00:00+02:00"))).toMatchObject({
    name: "x",
    untilUs: us("2026-10-15T08:00:00+02:00"),
  });
  expect(onDuty(r, us("2026-10-15T08:00:00+02:00"))).toMatchObject({ name: "a" });
});

test.each([
  ["nobody", { people: [] }, "expected somebody"],
  ["a zone that is none", { zone: "Europe/Nowhere" }, "expected a time zone"],
  ["a clock time that is none", { at: "24:00" }, "expected a clock time"],
  [
    "an end before its begin",
    { instead: [{ from: "2026-10-15T08:00:00Z", to: "2026-10-14T08:00:00Z", person: person("x") }] },
    "expected an end",
  ],
])("%s is refused", (_what, over, message) => {
  const read = Rota.safeParse({ ...rota(), ...over });
  expect(read.error?.issues[0]?.message).toContain(message);
});
