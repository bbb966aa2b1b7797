import fc from "fast-check";
import { Rule } from "../../detect/index.js";
import { type Alarm, judge, loadOf, type PastFinding, type PastOfRule, suggestFor } from "./index.js";

const S = 1e6;
const MIN = 60 * S;
const H = 60 * MIN;
const DAY = 24 * H;
const T = Date.UTC(2026, 10, 23) * 1e3;
const alarm = (atUs: number, over: Partial<Alarm> = {}): Alarm => ({
  atUs,
  severity: 4,
  what: `w${atUs}`,
  source: "s",
  endedUs: atUs + H,
  ...over,
});
const many = (n: number, from: number, apart: number, over: Partial<Alarm> = {}) =>
  Array.from({ length: n }, (_, i) => alarm(from + i * apart, over));

describe("the figures of a load", () => {
  test("a steady one of six an hour: rates by the window, no flood", () => {
    const load = loadOf(many(144, T, 10 * MIN), T, T + DAY);
    expect(load).toMatchObject({ alarms: 144, perDay: 144, perHour: 6, perTenMinutes: 1, mostInTenMinutes: 1 });
    expect(load).toMatchObject({ timeInFlood: 0, hoursOver30: 0, tenMinutesOver10: 0, topTen: 1 });
    expect(
      judge(load)
        .filter((f) => f.band === "too much")
        .map((f) => f.name),
    ).toEqual(["of the ten busiest sources"]);
  });

  test("a flood begins with more than ten in ten minutes and lasts until fewer than five", () => {
    // 11, 5, 4 in successive ten minutes
    const load = loadOf([...many(11, T, S), ...many(5, T + 10 * MIN, S), ...many(4, T + 20 * MIN, S)], T, T + 2 * H);
    expect(load.floods).toEqual([{ fromUs: T, toUs: T + 20 * MIN, alarms: 16 }]);
    expect(load.timeInFlood).toBeCloseTo(20 / 120);
    expect(load.tenMinutesOver10).toBeCloseTo(1 / 12);
    // ten are no flood yet
    expect(loadOf(many(10, T, S), T, T + H).floods).toEqual([]);
  });

  test("a flood that goes on at the end ends with the window", () => {
    expect(loadOf(many(30, T + 50 * MIN, S), T, T + H).floods).toEqual([
      { fromUs: T + 50 * MIN, toUs: T + H, alarms: 30 },
    ]);
  });

  test("chattering is three within a minute; fleeting is over within a minute and does not chatter", () => {
    const load = loadOf(
      [
        ...many(3, T, 29 * S, { what: "door", endedUs: T + 90 * S }),
        ...many(3, T, 31 * S, { what: "fan" }),
        alarm(T, { what: "lamp", endedUs: T + 59 * S }),
        alarm(T, { what: "pump", endedUs: T + 60 * S }),
      ],
      T,
      T + H,
    );
    expect(load.chattering).toEqual(["door"]);
    expect(load.fleeting).toBe(1);
  });

  test("what stands for more than a day counts on each day's end, also when it began before the window", () => {
    const old = many(6, T - 3 * DAY, S, { endedUs: null });
    const ended = many(4, T - 3 * DAY, S, { endedUs: T + 30 * H });
    const young = many(5, T + 2 * H, S, { endedUs: null });
    const load = loadOf([...old, ...ended, ...young], T, T + DAY);
    expect(load).toMatchObject({ alarms: 5, stale: 10 });
    expect(judge(load).find((f) => f.name.startsWith("standing"))).toMatchObject({ value: 10, band: "bearable" });
  });

  test("severities by the three classes that are published, and the busiest ten sources", () => {
    const load = loadOf(
      [
        ...many(1, T, S, { severity: 2 }),
        ...many(3, T, S, { severity: 3 }),
        ...Array.from({ length: 16 }, (_, i) => alarm(T, { source: `s${i}` })),
      ],
      T,
      T + DAY,
    );
    expect(load).toMatchObject({ high: 0.05, medium: 0.15, low: 0.8 });
    // s with 4, and nine of one each
    expect(load.topTen).toBeCloseTo(13 / 20);
  });

  test("nothing at all is good, whatever the window", () => {
    for (const toUs of [T + 1, T + DAY]) {
      const figures = judge(loadOf([], T, toUs));
      expect(figures.every((f) => f.value === 0 && f.band === "good")).toBe(true);
    }
  });

  test("shares are shares, and floods lie within the window apart from each other, whatever comes", () => {
    const any = fc.array(
      fc.record({
        at: fc.integer({ min: -100, max: 1_500 }),
        lasts: fc.option(fc.integer({ min: 0, max: 3_000 })),
        severity: fc.integer({ min: 0, max: 7 }),
        what: fc.constantFrom("a", "b", "c"),
      }),
      { maxLength: 200 },
    );
    fc.assert(
      fc.property(any, (list) => {
        const alarms = list.map((a) =>
          alarm(T + a.at * MIN, {
            endedUs: a.lasts === null ? null : T + (a.at + a.lasts) * MIN,
            severity: a.severity as 0,
            what: a.what,
          }),
        );
        const load = loadOf(alarms, T, T + DAY);
        const { hoursOver30, tenMinutesOver10, timeInFlood, topTen } = load;
        for (const share of [hoursOver30, tenMinutesOver10, timeInFlood, topTen]) {
          expect(share).toBeGreaterThanOrEqual(0);
          expect(share).toBeLessThanOrEqual(1);
        }
        expect(load.alarms).toBe(list.filter((a) => a.at >= 0 && a.at < 1_440).length);
        for (const [i, f] of load.floods.entries()) {
          expect(f.fromUs >= (load.floods[i - 1]?.toUs ?? T) && f.toUs <= T + DAY && f.alarms > 10).toBe(true);
        }
      }),
      { seed: 14 },
    );
  });
});

describe("what would come less", () => {
  const rule = (over: object = {}) =>
    Rule.parse({
      id: "refused",
      name: "Refused",
      kind: "count",
      severity: "error",
      title: "t",
      filter: "outcome is failure",
      key: ["src", "user"],
      count: 5,
      windowSeconds: 600,
      clear: { by: "quiet", seconds: 900 },
      ...over,
    });
  const finding = (day: number, over: Partial<PastFinding> = {}): PastFinding => {
    const at = T + day * DAY + (day % 7) * 3 * H;
    return {
      firstUs: at,
      raisedUs: at,
      lastUs: at + H,
      clearedUs: at + 2 * H,
      count: 40,
      key: `10.0.0.${day}\u0001u`,
      entities: [`src\u000110.0.0.${day}`],
      closedAs: null,
      called: true,
      ...over,
    };
  };
  const week = (n: number, over: (i: number) => Partial<PastFinding> = () => ({})) =>
    Array.from({ length: n }, (_, i) => finding(i, over(i)));
  const kinds = (found: ReturnType<typeof suggestFor>) => found.map((s) => s.kind);
  const none = new Map<string, PastOfRule>();
  const as = (findings: readonly PastFinding[], severity: PastOfRule["severity"] = "error") => ({ severity, findings });

  test("a hold, where most are over at once and none of those was fixed", () => {
    const past = week(10, (i) => (i < 6 ? { lastUs: T + i * DAY + (i % 7) * 3 * H + 30 * S, closedAs: "false" } : {}));
    const [hold] = suggestFor(rule(), past, none, "UTC");
    expect(hold).toMatchObject({ kind: "hold", came: 10, without: 6, fixed: 0, expectedOrFalse: 6 });
    expect(hold!.change).toEqual([{ path: ["holdSeconds"], value: 60 }]);
    // one of them was fixed: it is not worth it
    const fixed = past.map((f, i) => (i === 0 ? { ...f, closedAs: "fixed" as const } : f));
    expect(kinds(suggestFor(rule(), fixed, none, "UTC"))).not.toContain("hold");
  });

  test("never one by which the rule would raise nothing any more", () => {
    const past = week(10, (i) => ({ lastUs: T + i * DAY + (i % 7) * 3 * H, count: 5 }));
    expect(suggestFor(rule(), past, none, "UTC")).toEqual([]);
  });

  test("a threshold that some do not reach; of a rule that raises on the first record, none", () => {
    const past = week(10, (i) => ({ count: i < 5 ? 6 : 40 }));
    expect(suggestFor(rule(), past, none, "UTC")).toMatchObject([
      { kind: "threshold", without: 5, change: [{ path: ["count"], value: 8 }] },
    ]);
    expect(kinds(suggestFor(rule({ count: 1 }), past, none, "UTC"))).toEqual([]);
  });

  test("a longer silence, where the same begins again soon", () => {
    const past = Array.from({ length: 12 }, (_, i) => {
      const at = T + Math.floor(i / 3) * 20 * H + (i % 3) * (H + 20 * MIN);
      return finding(0, { firstUs: at, raisedUs: at, lastUs: at + H, key: "k" });
    });
    expect(suggestFor(rule({ key: [] }), past, none, "UTC")).toMatchObject([
      { kind: "clear", without: 8, change: [{ path: ["clear", "seconds"], value: 1_800 }] },
    ]);
  });

  test("shelving, where they come at one time of the day by the clock of the zone", () => {
    const past = week(8, (i) => ({ raisedUs: T + i * DAY + 2 * H + i * 10 * MIN }));
    const [shelving] = suggestFor(rule(), past, none, "Europe/Oslo");
    expect(shelving).toMatchObject({ kind: "shelving", without: 8 });
    expect(shelving!.change[0]!.value).toEqual([
      { from: "03:00", to: "05:00", why: "it comes at this time, day after day" },
    ]);
    // on three days it is no habit
    expect(kinds(suggestFor(rule(), past.slice(0, 3), none, "UTC"))).toEqual([]);
  });

  test("suppression by a rule that stood for the same then, and by no other", () => {
    const past = week(6);
    const link = past.map((f) => ({ ...f, firstUs: f.firstUs - MIN, raisedUs: f.raisedUs - MIN }));
    const others = new Map([
      ["refused", as(past)],
      ["link", as(link)],
      ["milder", as(link, "warning")],
      ["elsewhere", as(link.map((f) => ({ ...f, entities: ["src\u000110.9.9.9"] })))],
      ["before", as(link.map((f) => ({ ...f, clearedUs: f.raisedUs - H })))],
    ]);
    expect(suggestFor(rule(), past, others, "UTC")).toMatchObject([
      { kind: "suppression", without: 6, change: [{ path: ["explainedBy"], value: ["link"] }] },
    ]);
    expect(suggestFor(rule({ explainedBy: ["link"] }), past, others, "UTC")).toEqual([]);
    // what joined an incident that people knew of called nobody
    expect(
      suggestFor(
        rule(),
        past.map((f) => ({ ...f, called: false })),
        others,
        "UTC",
      ),
    ).toEqual([]);
  });

  test("a key of fewer fields, where one address tries many users", () => {
    const past = Array.from({ length: 12 }, (_, i) => {
      const at = T + Math.floor(i / 6) * 30 * H + (i % 6) * MIN;
      return finding(0, { firstUs: at, raisedUs: at, lastUs: at + H, key: `10.0.0.9\u0001user-${i}` });
    });
    expect(suggestFor(rule(), past, none, "UTC")).toMatchObject([
      { kind: "key", without: 10, change: [{ path: ["key"], value: ["src"] }] },
    ]);
  });

  test("every change makes a rule that is one", () => {
    const past = week(10, (i) => ({ count: 5 + i, lastUs: T + i * DAY + (i % 7) * 3 * H + i * MIN }));
    for (const s of suggestFor(rule(), past, none, "UTC")) {
      const changed: Record<string, unknown> = structuredClone(rule());
      for (const { path, value } of s.change) {
        const [first, second] = path as string[];
        if (second === undefined) changed[first!] = value;
        else (changed[first!] as Record<string, unknown>)[second] = value;
      }
      expect(Rule.safeParse(changed).success).toBe(true);
    }
  });
});
