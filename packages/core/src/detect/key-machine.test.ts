import fc from "fast-check";
import { effort } from "../testing/node/effort.js";
import type { RuleEvent } from "./event.js";
import { type HowRun, KeyMachine } from "./key-machine.js";
import { CountRun } from "./kinds/count/count-run.js";
import { DistinctRun } from "./kinds/distinct/distinct-run.js";
import type { Run } from "./kinds/run.js";
import { SequenceRun } from "./kinds/sequence/sequence-run.js";
import { BETWEEN_MARKS } from "./run-marks.js";

const S = 1e6;
const event = (id: number, timeUs: number, over: Partial<RuleEvent> = {}): RuleEvent => ({
  id: String(id),
  timeUs,
  meets: [0],
  ends: null,
  values: [],
  amount: 1,
  entities: [],
  worse: 0,
  isEcho: false,
  ...over,
});
const how = (begin: HowRun["begin"]): HowRun => ({ begin, waits: false });
const quiet = { quietUs: 8 * S, holdUs: 0, severalSteps: false };
const step = (count: number) => ({ count, withinUs: null, absent: false });
const KINDS: readonly (readonly [string, HowRun])[] = [
  ["count", how((saved) => new CountRun({ ...quiet, count: 12, windowUs: 5 * S }, saved))],
  ["count, held", how((saved) => new CountRun({ ...quiet, holdUs: 9 * S, count: 9, windowUs: 5 * S }, saved))],
  ["distinct", how((saved) => new DistinctRun({ ...quiet, count: 5, windowUs: S, parts: null }, saved))],
  [
    "sequence",
    how(
      (saved) =>
        new SequenceRun({ ...quiet, severalSteps: true, steps: [step(4), step(2), step(1)], windowUs: 10 * S }, saved),
    ),
  ],
];

/** Some thousand events of five minutes, in an order that is theirs but for some that come late. */
const crowds = fc.record({
  seed: fc.integer({ min: 1, max: 2 ** 30 }),
  n: fc.integer({ min: 2 * BETWEEN_MARKS, max: 8 * BETWEEN_MARKS }),
  lateOneIn: fc.integer({ min: 2, max: 200 }),
  latenessS: fc.integer({ min: 1, max: 120 }),
  atOnce: fc.integer({ min: 20, max: 200 }),
});
function* crowd({ seed, n, lateOneIn, latenessS, atOnce }: typeof crowds extends fc.Arbitrary<infer T> ? T : never) {
  let state = seed;
  const random = (below: number) => {
    state = (state * 48_271) % 2_147_483_647;
    return state % below;
  };
  const events = Array.from({ length: n }, (_, i) => {
    // in bursts, with gaps longer than what the rules think in
    const timeUs = (Math.floor((i / n) * 100) + Math.floor((i / n) * 8) * 16) * S + random(3) * (S / 2);
    return {
      arrivesUs: timeUs + (random(lateOneIn) === 0 ? random(latenessS * S) : 0),
      event: event(i + 1, timeUs, {
        meets: [random(3)],
        values: [`v${random(5)}`],
        ends: random(400) === 0 ? "record" : null,
        isEcho: i % Math.floor(n / 8) < 25,
      }),
    };
  });
  events.sort((a, b) => a.arrivesUs - b.arrivesUs);
  for (let i = 0; i < n; i += atOnce) {
    const batch = events.slice(i, i + atOnce);
    yield { batch: batch.map((e) => e.event), watermarkUs: batch[batch.length - 1]!.arrivesUs - latenessS * S };
  }
}

test.each(KINDS)("%s: at every moment as one that is made anew of what is settled and what waits", (_name, of) => {
  fc.assert(
    fc.property(crowds, (made) => {
      const machine = new KeyMachine(of, null);
      let waits: RuleEvent[] = [];
      let settled = machine.save();
      for (const { batch, watermarkUs } of crowd(made)) {
        const { provisional } = machine.step(batch, watermarkUs);
        const anew = new KeyMachine(of, settled);
        waits = [...waits, ...batch];
        const expected = anew.step(waits, watermarkUs);
        expect(provisional.map(({ added: __, ...e }) => e)).toEqual(
          expected.provisional.map(({ added: __, ...e }) => e),
        );
        expect(machine.progress()).toEqual(anew.progress());
        expect(machine.save()).toEqual(anew.save());
        settled = JSON.parse(JSON.stringify(machine.save()));
        waits = waits.filter((e) => e.timeUs > watermarkUs);
      }
    }),
    { seed: 7, numRuns: effort(12), endOnFailure: true },
  );
});

test("what comes late costs what came after it, not all that waits", () => {
  let takes = 0;
  class Counted extends CountRun {
    override take(...args: Parameters<Run["take"]>): void {
      takes++;
      super.take(...args);
    }
    override clone(): Counted {
      const copy = new Counted(this.logic, null).copyOpen(this);
      return copy;
    }
  }
  const machine = new KeyMachine(
    how((saved) => new Counted({ ...quiet, count: 3, windowUs: S }, saved)),
    null,
  );
  const all = Array.from({ length: 4_000 }, (_, i) => event(i + 1, (i + 1) * 1_000));
  machine.step(all, 0);
  expect(takes).toBe(4_000);
  takes = 0;
  machine.step([event(9_000, 3_990_500)], 0);
  expect(takes).toBeLessThanOrEqual(BETWEEN_MARKS + 12);
  takes = 0;
  // some of what waits is settled: marks stand where they stood
  machine.step([event(9_001, 3_990_600)], 1_000_000);
  expect(takes).toBeLessThanOrEqual(1_000 + BETWEEN_MARKS + 13);
});

test("what nothing can go on from any more is not near, while something else waits", () => {
  const machine = new KeyMachine(KINDS.find(([name]) => name === "sequence")![1], null);
  machine.step([event(1, S)], 0);
  expect(machine.progress()).not.toBeNull();
  // settled, and what waits goes on from nothing
  machine.step([event(2, 30 * S, { isEcho: true })], 2 * S);
  machine.step([], 20 * S);
  expect(machine.progress()).toBeNull();
});
