import fc from "fast-check";
import type { HistoryCode } from "../incidents/index.js";
import {
  concerns,
  isHistory,
  NotifyRoute,
  planTelling,
  reasonToDrop,
  retryAfterUs,
  type SaidBefore,
  type ToldIncident,
  tellingOf,
  UPDATES_APART_US,
} from "./index.js";

const S = 1e6;
const T = 1_000_000 * S;
const route = (over: object = {}) => NotifyRoute.parse({ name: "duty", to: ["duty@orvane.example"], ...over });
const incident = (over: Partial<ToldIncident> = {}): ToldIncident => ({
  title: "Guessing at vpn-1",
  severity: 3,
  state: "open",
  stopped: false,
  rules: ["refused-logons"],
  tags: ["logon"],
  entities: ["203.0.113.9", "vpn-1"],
  sites: ["Orvane"],
  groups: ["edge"],
  lastUs: T,
  endedUs: null,
  acknowledged: false,
  newSinceSeen: false,
  folded: false,
  ofHistory: false,
  shelvedUntilUs: null,
  ...over,
});
const NEVER: SaidBefore = { raise: "never", over: false, updateWaits: false, lastSentUs: null };
const TOLD: SaidBefore = { raise: "sent", over: false, updateWaits: false, lastSentUs: T };
const change = (code: HistoryCode, atUs = T) => ({ code, atUs });

test.each([
  ["raised", "raise"],
  ["returned", "raise"],
  ["still-lasts", "update"],
  ["new-since-seen", "update"],
  ["joined", "update"],
  ["worse", "update"],
  ["named", "update"],
  ["explains", "update"],
  ["explained", null],
  ["outlasts", "raise"],
  ["cleared", "clear"],
  ["closed", "clear"],
  ["acknowledged", null],
  ["note", null],
] as const)("“%s” tells: %s", (code, tells) => expect(tellingOf(code)).toBe(tells));

describe("which incidents a route is for", () => {
  test.each([
    ["any of its severity", {}, {}, true],
    ["a worse one", {}, { severity: 1 as const }, true],
    ["a milder one", {}, { severity: 4 as const }, false],
    ["one of its rules", { rules: ["x", "refused-logons"] }, {}, true],
    ["another rule", { rules: ["x"] }, {}, false],
    ["its tag, in any case", { tags: ["Logon"] }, {}, true],
    ["another tag", { tags: ["link"] }, {}, false],
    ["a text of the title", { about: ["VPN"] }, {}, true],
    ["a text of an entity", { about: ["203.0.113."] }, {}, true],
    ["no such text", { about: ["dc-1"] }, {}, false],
    ["its site", { sites: ["Hestnes", "Orvane"] }, {}, true],
    ["another site", { sites: ["Hestnes"] }, {}, false],
    ["its group and another site", { groups: ["edge"], sites: ["Hestnes"] }, {}, false],
    ["a route that is off", { enabled: false }, {}, false],
  ])("%s", (_what, r, i, expected) => expect(concerns(route(r), incident(i))).toBe(expected));
});

describe("when something is told", () => {
  test.each([
    ["a raise, at once", {}, "raised", NEVER, T],
    ["a raise, after the delay", { delaySeconds: 90 }, "raised", NEVER, T + 90 * S],
    ["a clear to those who know of the raise", {}, "cleared", TOLD, T],
    ["a person's closing, once it can no longer be taken back", {}, "closed", TOLD, T + 30 * S],
    ["an update, apart from what was sent before", {}, "still-lasts", TOLD, T + UPDATES_APART_US],
    ["that it is worse, at once", {}, "worse", TOLD, T],
    ["that it is worse, though an update waits", {}, "worse", { ...TOLD, updateWaits: true }, T],
    [
      "a reminder of what stopped and is not judged",
      {},
      "still-lasts",
      { ...NEVER, over: true, lastSentUs: T },
      T + UPDATES_APART_US,
    ],
    ["a clear by a route that tells nothing else", { tells: ["clear"] }, "cleared", NEVER, T],
  ] as const)("%s", (_what, r, code, before, dueUs) =>
    expect(planTelling(route(r), incident(), change(code), before)).toMatchObject({ dueUs }),
  );
  test.each([
    ["a warning that becomes an error", {}, "worse"],
    ["a finding of a rule it is for", { delaySeconds: 90 }, "joined"],
    ["new since a person saw it", {}, "new-since-seen"],
    ["it lasts although its cause is over", {}, "outlasts"],
  ] as const)("a raise to those who were told nothing yet: %s", (_what, r, code) =>
    expect(planTelling(route(r), incident(), change(code), NEVER)).toEqual({
      tell: "raise",
      dueUs: T + route(r).delaySeconds * S,
    }),
  );
  test.each([
    ["evidence of history", {}, { lastUs: T - 7_200 * S }, "raised", NEVER, false],
    ["a clear whose raise was not told", {}, {}, "cleared", NEVER, false],
    ["a clear while its raise waits cancels it", {}, {}, "cleared", { ...NEVER, raise: "waiting" as const }, true],
    ["an update before the raise", {}, {}, "still-lasts", { ...NEVER, raise: "waiting" as const }, false],
    ["a finding while the raise waits", {}, {}, "joined", { ...NEVER, raise: "waiting" as const }, false],
    ["what another incident explains", {}, { folded: true }, "raised", NEVER, false],
    ["a reminder of history", {}, { ofHistory: true }, "still-lasts", TOLD, false],
    ["a second update while one waits", {}, {}, "joined", { ...TOLD, updateWaits: true }, false],
    ["what the route does not tell", { tells: ["raise"] }, {}, "cleared", TOLD, false],
    ["what people do", {}, {}, "acknowledged", TOLD, false],
  ] as const)("not: %s", (_what, r, i, code, before, cancels) =>
    expect(planTelling(route(r), incident(i), change(code), before)).toMatchObject({ tell: null, cancels }),
  );
  test.each([
    ["raise", {}, null],
    ["raise", { acknowledged: true }, "seen meanwhile"],
    ["raise", { acknowledged: true, newSinceSeen: true }, null],
    ["raise", { state: "cleared" }, "over meanwhile"],
    ["update", { acknowledged: true }, null],
    ["update", { state: "cleared", stopped: true }, null],
    ["update", { state: "cleared" }, "over meanwhile"],
    ["update", { shelvedUntilUs: T + 1 }, "shelved"],
    ["update", { shelvedUntilUs: T - 1 }, null],
    ["clear", { state: "closed", shelvedUntilUs: T + 1 }, null],
    ["clear", { state: "open" }, "open again meanwhile"],
  ] as const)("a %s that waited, the incident now %j: %s", (tell, i, why) =>
    expect(reasonToDrop(tell, incident(i), T)).toBe(why),
  );
});

test.each([
  ["fresh evidence", T - 60 * S, null, false],
  ["evidence of two hours ago", T - 7_200 * S, null, true],
  ["over just now, after two hours of quiet", T - 7_200 * S, T - 60 * S, false],
  ["over two hours ago", T - 9_000 * S, T - 7_200 * S, true],
])("of imported history: %s", (_what, lastUs, endedUs, expected) => {
  expect(isHistory({ lastUs, endedUs, ofHistory: false }, change("raised"))).toBe(expected);
  // no evidence comes with a reminder
  expect(isHistory({ lastUs, endedUs, ofHistory: false }, change("still-lasts"))).toBe(false);
});

test("tries again later and later, an hour apart at most, and not for ever", () => {
  const waits = Array.from({ length: 12 }, (_, i) => retryAfterUs(i + 1));
  expect(waits.slice(0, 4)).toEqual([30 * S, 60 * S, 120 * S, 240 * S]);
  expect(waits[10]).toBe(3_600 * S);
  expect(waits[11]).toBeNull();
});

test("whatever happens, what is told is due no earlier than it happened, and only by routes it concerns", () => {
  const events = fc.constantFrom(
    "raised",
    "returned",
    "still-lasts",
    "joined",
    "cleared",
    "closed",
    "note",
  ) as fc.Arbitrary<HistoryCode>;
  const before = fc.record({
    raise: fc.constantFrom("never", "waiting", "sent"),
    updateWaits: fc.boolean(),
    over: fc.boolean(),
    lastSentUs: fc.option(fc.integer({ min: 0, max: T })),
  });
  fc.assert(
    fc.property(
      events,
      before,
      fc.integer({ min: 0, max: 7 }),
      fc.integer({ min: 0, max: 3_600 }),
      (code, b, sev, d) => {
        const r = route({ delaySeconds: d });
        const i = incident({ severity: sev as 0 });
        const plan = planTelling(r, i, change(code), b as SaidBefore);
        if (plan.tell !== null) {
          expect(plan.dueUs).toBeGreaterThanOrEqual(T);
          expect(concerns(r, i)).toBe(true);
          // who was told nothing is told of a raise
          if (plan.tell !== "raise") expect(plan.tell).toBe(tellingOf(code));
        }
      },
    ),
    { seed: 9 },
  );
});

test.each([
  ["no address", { to: [] }],
  ["what is no address", { to: ["duty"] }],
  ["a line end in an address", { to: ["duty@orvane.example\r\nBcc: x@y.example"] }],
  ["a line end in the name", { name: "a\r\nb" }],
  ["nothing to tell", { tells: [] }],
])("a route with %s is refused", (_what, over) =>
  expect(NotifyRoute.safeParse({ name: "n", to: ["a@b.example"], ...over }).success).toBe(false),
);
