import fc from "fast-check";
import { civilToUs, STEPS, stepStart, stepsOf, US_PER_DAY, US_PER_HOUR, zoneOffsetUs } from "./index.js";

const iso = (us: number) => new Date(us / 1_000).toISOString().slice(0, 16);
const FROM = civilToUs(2026, 1, 1, 0, 0, 0);
const TO = civilToUs(2027, 7, 1, 0, 0, 0);

/** Days of a zone's year and a half in which its clocks are set, by the day. */
function daysOfChange(zone: string): number[] {
  const days: number[] = [];
  let before = zoneOffsetUs(zone, FROM);
  for (let at = FROM; at < TO; at += US_PER_DAY) {
    const after = zoneOffsetUs(zone, at + US_PER_DAY);
    if (after !== before) days.push(at);
    before = after;
  }
  return days;
}

test("in every zone there is, the calendar's steps go on and each begins where it says, through a year and a half", () => {
  for (const zone of Intl.supportedValuesOf("timeZone"))
    for (const step of ["day", "week", "month"] as const) {
      // days are alike but for those around the setting of clocks
      const windows =
        step === "day"
          ? daysOfChange(zone).map((at) => [at - 3 * US_PER_DAY, at + 4 * US_PER_DAY] as const)
          : [[FROM, TO] as const];
      for (const [from, to] of windows) {
        const starts = stepsOf(from, to, step, zone, 4_000);
        const wrong = starts
          .slice(1, -1)
          .filter(
            (at, i) => at <= starts[i]! || stepStart(at, step, zone) !== at || stepStart(at - 1, step, zone) === at,
          );
        expect([zone, step, wrong.map(iso)]).toEqual([zone, step, []]);
      }
    }
});

// clocks in Oslo: 2026-03-29 02:00 → 03:00, 2026-10-25 03:00 → 02:00 (IANA time zone database)
test.each([
  ["day", "2026-03-28T23:00", 23],
  ["day", "2026-10-24T22:00", 25],
  ["week", "2026-03-22T23:00", 7 * 24 - 1],
  ["month", "2026-09-30T22:00", 31 * 24 + 1],
] as const)("a %s of Oslo that begins %s has %i hours", (step, begins, hours) => {
  const at = Date.parse(`${begins}Z`) * 1_000;
  expect(stepStart(at, step, "Europe/Oslo")).toBe(at);
  expect((stepStart(at, step, "Europe/Oslo", 1) - at) / US_PER_HOUR).toBe(hours);
});

test("hours begin where those of the zone do, by quarters too", () => {
  const at = civilToUs(2026, 11, 28, 10, 20, 0);
  expect(["UTC", "Asia/Kolkata", "Asia/Kathmandu"].map((zone) => iso(stepStart(at, "hour", zone)))).toEqual([
    "2026-11-28T10:00",
    "2026-11-28T09:30",
    "2026-11-28T10:15",
  ]);
});

test("a window is all of its steps: none is missing, none overlaps, the ends are its own", () => {
  const zone = fc.constantFrom("UTC", "Europe/Oslo", "America/St_Johns", "Australia/Lord_Howe", "Asia/Beirut");
  fc.assert(
    fc.property(
      fc.integer({ min: FROM, max: TO }),
      fc.integer({ min: 1, max: 2 * US_PER_DAY }),
      fc.constantFrom(...STEPS),
      zone,
      (fromUs, length, step, z) => {
        const starts = stepsOf(fromUs, fromUs + length, step, z, 5_000);
        expect([starts[0], starts.at(-1)]).toEqual([fromUs, fromUs + length]);
        expect(starts.filter((at, i) => i > 0 && at <= starts[i - 1]!)).toEqual([]);
        // whatever lies between two beginnings lies in the step of the first
        const inner = starts.slice(1, -1);
        expect(inner.filter((at) => stepStart(at, step, z) !== at || stepStart(at - 1, step, z) >= at)).toEqual([]);
      },
    ),
  );
});

test("more steps than are wanted are refused", () => {
  expect(stepsOf(FROM, FROM + 10 * US_PER_HOUR, "hour", "UTC", 10)).toHaveLength(11);
  expect(() => stepsOf(FROM, FROM + 11 * US_PER_HOUR, "hour", "UTC", 10)).toThrow(RangeError);
});
