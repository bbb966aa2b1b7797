import fc from "fast-check";
import type { Severity } from "../../model/record/index.js";
import { type UrgencyFacts, urgencyOf } from "./urgency.js";

const NOW = 1e15;
const facts = (over: Partial<UrgencyFacts> = {}): UrgencyFacts => ({
  severity: 3,
  severityName: "error",
  state: "open",
  acknowledged: false,
  newSinceSeen: false,
  rules: 1,
  returned: 0,
  folded: false,
  lastUs: NOW - 3_600e6,
  shelved: false,
  stopped: false,
  merged: false,
  ...over,
});

test.each([
  ["an error nobody has seen", {}, 55],
  ["the same, seen", { acknowledged: true }, 40],
  ["seen, with something new", { acknowledged: true, newSinceSeen: true }, 55],
  ["three rules agree", { rules: 3 }, 65],
  ["ten rules agree: no more than four do", { rules: 10 }, 70],
  ["it goes on", { lastUs: NOW - 60e6 }, 65],
  ["it returned", { returned: 4 }, 60],
  ["stopped, not judged: it does not go on", { state: "cleared" as const, stopped: true, lastUs: NOW - 60e6 }, 55],
  ["over", { state: "cleared" as const }, 0],
  ["shelved", { shelved: true }, 0],
])("%s: %s", (_what, over, score) => expect(urgencyOf(facts(over), NOW).score).toBe(score));

test("the parts are the whole, and a worse severity never ranks lower", () => {
  const any = fc.record({
    severity: fc.integer({ min: 1, max: 7 }),
    acknowledged: fc.boolean(),
    newSinceSeen: fc.boolean(),
    rules: fc.integer({ min: 1, max: 20 }),
    returned: fc.integer({ min: 0, max: 5 }),
    lastUs: fc.integer({ min: NOW - 7_200e6, max: NOW }),
  });
  fc.assert(
    fc.property(any, (f) => {
      const { score, parts } = urgencyOf(facts(f as Partial<UrgencyFacts>), NOW);
      expect(parts.reduce((sum, [, points]) => sum + points, 0)).toBe(score);
      const worse = urgencyOf(facts({ ...f, severity: (f.severity - 1) as Severity }), NOW).score;
      expect(worse).toBeGreaterThan(score);
    }),
    { seed: 4 },
  );
});
