import fc from "fast-check";
import { newSender, SenderDirectory } from "../../model/senders/index.js";
import type { HistoryCode } from "../incidents/index.js";
import {
  concerns,
  type IncidentToNotify,
  isHistory,
  NotifyRoute,
  notifiedChangeOf,
  planNotification,
  reasonToDrop,
  retryAfterUs,
  type SentBefore,
  UPDATES_APART_US,
} from "./index.js";

const S = 1e6;
const T = 1_000_000 * S;
const route = (over: object = {}) => NotifyRoute.parse({ name: "duty", to: ["duty@orvane.example"], ...over });
const incident = (over: Partial<IncidentToNotify> = {}): IncidentToNotify => ({
  title: "Guessing at vpn-1",
  severity: 3,
  state: "open",
  stopped: false,
  count: 46,
  rules: [{ id: "refused-logons", name: "Many refused logons" }],
  tags: ["logon"],
  techniques: ["T1110"],
  entities: [
    { field: "src", value: "203.0.113.9" },
    { field: "sender", value: "vpn-1" },
    { field: "user", value: "k.lind" },
  ],
  senderIds: [7],
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
const NEVER: SentBefore = { raise: "never", over: false, updateWaits: false, lastSentUs: null };
const TOLD: SentBefore = { raise: "sent", over: false, updateWaits: false, lastSentUs: T };
const DIRECTORY = new SenderDirectory([newSender(7, "vpn-1", { site: "Orvane", groups: ["edge"] })]);
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
] as const)("“%s” tells: %s", (code, tells) => expect(notifiedChangeOf(code)).toBe(tells));

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
  ])("%s", (_what, r, i, expected) => expect(concerns(route(r), incident(i), DIRECTORY, T)).toBe(expected));
});

test.each([
  ["", true],
  ["severity at least error and user is k.lind", true],
  ["user is K.LIND and not user is oracle", true],
  ["src within 203.0.113.0/24", true],
  ["dst within 203.0.113.0/24", false],
  ["ip is 203.0.113.9", true],
  ["host like vpn-*", true],
  ["sender in site Orvane and sender in group edge", true],
  ["sender in site Hestnes", false],
  ["rule is refused-logons", true],
  ['rule has "refused logons"', true],
  ["technique is t1110", true],
  ["technique like T15*", false],
  ["guessing vpn", true],
  ["records over 40", true],
  ["records over 46", false],
  ["state is open", true],
  ["interface is missing", true],
  ["user matches /^k[.]/", true],
] as const)("the filter “%s” of an incident: %s", (where, expected) =>
  expect(concerns(route({ where }), incident(), DIRECTORY, T)).toBe(expected),
);

test.each([
  // Thursday 26 November 2026, 22:30 in UTC
  ["UTC", "hour at least 22 and weekday is thursday", true],
  ["Europe/Oslo", "hour is 23 and weekday is thursday", true],
  ["Asia/Tokyo", "hour is 7 and weekday is friday", true],
  ["Asia/Tokyo", "weekday is thursday", false],
] as const)("by the clock of %s: %s", (zone, where, expected) =>
  expect(concerns(route({ where, zone }), incident(), DIRECTORY, Date.UTC(2026, 10, 26, 22, 30) * 1e3)).toBe(expected),
);

test("a field that incidents do not have is refused with those there are, or with what was meant", () => {
  const said = (where: string) =>
    NotifyRoute.safeParse({ name: "n", to: ["a@b.example"], where }).error?.issues[0]?.message;
  expect(said("usr is k.lind")).toBe('there is no field "usr"; did you mean "user"?');
  expect(said("byteswritten over 4")).toMatch(/^there is no field "byteswritten"; there are text, severity, sender/);
  expect(said("(user is x")).toBe('this "(" is never closed');
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
    expect(planNotification(route(r), incident(), change(code), before, DIRECTORY)).toMatchObject({ dueUs }),
  );
  test.each([
    ["a warning that becomes an error", {}, "worse"],
    ["a finding of a rule it is for", { delaySeconds: 90 }, "joined"],
    ["new since a person saw it", {}, "new-since-seen"],
    ["it lasts although its cause is over", {}, "outlasts"],
  ] as const)("a raise to those who were told nothing yet: %s", (_what, r, code) =>
    expect(planNotification(route(r), incident(), change(code), NEVER, DIRECTORY)).toEqual({
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
    expect(planNotification(route(r), incident(i), change(code), before, DIRECTORY)).toMatchObject({
      tell: null,
      cancels,
    }),
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
        const plan = planNotification(r, i, change(code), b as SentBefore, DIRECTORY);
        if (plan.tell !== null) {
          expect(plan.dueUs).toBeGreaterThanOrEqual(T);
          expect(concerns(r, i, DIRECTORY, T)).toBe(true);
          // who was told nothing is told of a raise
          if (plan.tell !== "raise") expect(plan.tell).toBe(notifiedChangeOf(code));
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
  ["a filter of records", { where: "src port is 22" }],
  ["a filter that asks for named values", { where: 'data "user id" is 7' }],
  ["a filter that asks what came after", { where: "same user within 5 min after (rule is x)" }],
  [
    "quiet hours round the clock",
    {
      quiet: [
        { from: "06:00", to: "18:00" },
        { from: "18:00", to: "06:00" },
      ],
    },
  ],
])("a route with %s is refused", (_what, over) =>
  expect(NotifyRoute.safeParse({ name: "n", to: ["a@b.example"], ...over }).success).toBe(false),
);
