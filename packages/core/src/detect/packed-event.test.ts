import fc from "fast-check";
import type { RuleEvent } from "./event.js";
import { packEvent, unpackEvent } from "./packed-event.js";

const events: fc.Arbitrary<RuleEvent> = fc.record({
  timeUs: fc.integer({ min: 0, max: Number.MAX_SAFE_INTEGER }),
  id: fc.bigInt({ min: 1n, max: (1n << 63n) - 1n }).map(String),
  meets: fc.array(fc.integer({ min: 0, max: 20 }), { maxLength: 3 }),
  ends: fc.constantFrom(null, "record" as const, "hand" as const),
  values: fc.array(fc.string(), { maxLength: 3 }),
  amount: fc.oneof(fc.constant(0), fc.double({ noNaN: true, noDefaultInfinity: true })),
  entities: fc.array(fc.string(), { maxLength: 4 }),
  worse: fc.oneof(fc.constant(0), fc.integer({ min: 0, max: 15 })),
  isEcho: fc.boolean(),
});

test("whatever an event is, it comes back from a checkpoint as it was", () => {
  fc.assert(
    fc.property(events, (event) => {
      const text = JSON.stringify(packEvent(event));
      // a checkpoint knows no negative zero, and no rule asks for one
      expect(unpackEvent(JSON.parse(text))).toEqual({ ...event, amount: event.amount === 0 ? 0 : event.amount });
    }),
    { seed: 12, numRuns: 500 },
  );
});

test("the usual event takes its time, id and entities", () => {
  const usual: RuleEvent = {
    timeUs: 5,
    id: "7",
    meets: [0],
    ends: null,
    values: [],
    amount: 0,
    entities: ["src\u0001a"],
    worse: 0,
    isEcho: false,
  };
  expect(packEvent(usual)).toEqual([5, "7", ["src\u0001a"]]);
});

test("events as the first checkpoints kept them are understood", () => {
  const whole = { timeUs: 5, id: "7", meets: [1], ends: null, values: ["v"], amount: 2, entities: [] };
  expect(unpackEvent(whole)).toEqual({ ...whole, worse: 0, isEcho: false });
});

test("a million events share their lists of one place", () => {
  expect(unpackEvent([1, "1", []]).meets).toBe(unpackEvent([2, "2", []]).meets);
  expect(unpackEvent([1, "1", [], [3]]).meets).toBe(unpackEvent([2, "2", [], [3]]).meets);
});
