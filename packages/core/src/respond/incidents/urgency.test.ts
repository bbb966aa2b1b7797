import fc from "fast-check";
import { US_PER_MINUTE } from "../../base/time/index.js";
import type { Severity } from "../../model/record/index.js";
import { byUrgency, needsAttention, type UrgencyFacts, urgencyOf } from "./index.js";

const NOW = 1_795_485_911_000_000;
const facts = (over: Partial<UrgencyFacts> = {}): UrgencyFacts => ({
  state: "open",
  stopped: false,
  merged: false,
  folded: false,
  shelved: false,
  acknowledged: true,
  newSinceSeen: false,
  severity: 3,
  severityName: "error",
  rules: 1,
  returned: 0,
  lastUs: NOW - 60 * US_PER_MINUTE,
  ...over,
});

test.each<[string, Partial<UrgencyFacts>, string[]]>([
  ["its severity", {}, ["error"]],
  ["that nobody has seen it", { acknowledged: false }, ["error", "not acknowledged"]],
  ["what came since somebody did", { newSinceSeen: true }, ["error", "new since seen"]],
  ["that it is both is said once", { acknowledged: false, newSinceSeen: true }, ["error", "not acknowledged"]],
  ["rules that agree", { rules: 2 }, ["error", "2 rules agree"]],
  ["that it goes on", { lastUs: NOW - 14 * US_PER_MINUTE }, ["error", "it goes on"]],
  ["that it returned", { returned: 2 }, ["error", "it returned"]],
  ["that it stopped, which nobody judged", { state: "cleared", stopped: true, lastUs: NOW }, ["error"]],
])("urgency says %s", (_what, over, parts) => {
  const { score, parts: said } = urgencyOf(facts(over), NOW);
  expect(said.map(([why]) => why)).toEqual(parts);
  expect(score).toBe(said.reduce((sum, [, points]) => sum + points, 0));
});

test.each<[Partial<UrgencyFacts>, string]>([
  [{ state: "closed" }, "closed"],
  [{ state: "cleared" }, "cleared"],
  [{ shelved: true }, "shelved"],
  [{ folded: true }, "explained by another"],
])("what is %j is not urgent, and says why", (over, why) => {
  expect(urgencyOf(facts({ ...over, severity: 0, acknowledged: false }), NOW)).toEqual({ score: 0, parts: [[why, 0]] });
});

test("many rules that agree count as four", () => {
  expect(urgencyOf(facts({ rules: 400 }), NOW).score).toBe(urgencyOf(facts({ rules: 4 }), NOW).score);
});

const any = fc.record({
  state: fc.constantFrom("open", "cleared", "closed"),
  stopped: fc.boolean(),
  merged: fc.boolean(),
  folded: fc.boolean(),
  shelved: fc.boolean(),
  acknowledged: fc.boolean(),
  newSinceSeen: fc.boolean(),
  severity: fc.integer({ min: 0, max: 7 }).map((n) => n as Severity),
  severityName: fc.constant("x"),
  rules: fc.integer({ min: 1, max: 5 }),
  returned: fc.integer({ min: 0, max: 2 }),
  lastUs: fc.integer({ min: NOW - 3e9, max: NOW }),
}) as fc.Arbitrary<UrgencyFacts>;

test("a worse severity is never less urgent, all else alike", () => {
  fc.assert(
    fc.property(any, (i) => {
      if (i.severity === 0) return;
      const worse = { ...i, severity: (i.severity - 1) as Severity };
      expect(urgencyOf(worse, NOW).score).toBeGreaterThanOrEqual(urgencyOf(i, NOW).score);
    }),
  );
});

test("the queue is one order: what needs somebody first, then the urgent, of the same the latest", () => {
  fc.assert(
    fc.property(fc.array(any, { maxLength: 20 }), (incidents) => {
      const queue = [...incidents].sort(byUrgency(NOW));
      const [first, last] = [queue.map(needsAttention), queue.map((i) => !needsAttention(i))];
      expect(last.indexOf(true) === -1 || !first.slice(last.indexOf(true)).includes(true)).toBe(true);
      const calls = queue.filter(needsAttention);
      for (const [i, one] of calls.entries()) {
        const next = calls[i + 1];
        if (next === undefined) break;
        const [a, b] = [urgencyOf(one, NOW).score, urgencyOf(next, NOW).score];
        expect(a > b || (a === b && one.lastUs >= next.lastUs)).toBe(true);
      }
    }),
  );
});
