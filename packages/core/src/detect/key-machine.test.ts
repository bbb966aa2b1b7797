import { isDeepStrictEqual } from "node:util";
import fc from "fast-check";
import { effort } from "../testing/node/effort.js";
import type { Episode, RuleEvent } from "./event.js";
import { BEHIND_US_EACH, type HowRun, KeyMachine } from "./key-machine.js";
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

/** Episodes without what is said once only. */
const unsaid = (episodes: readonly Episode[]) => episodes.map(({ added: _, ...e }) => e);

const evidence = (episodes: readonly Episode[]) => episodes.flatMap(({ added }) => (added ?? []).map(({ id }) => id));
/** When all of them are over. */
const LATER = 3_600 * S;

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

test.each(KINDS)(
  "%s: as one that is made anew of what is settled and what waits, or behind it for no longer than may be",
  (_name, of) => {
    let same = 0;
    fc.assert(
      fc.property(crowds, (made) => {
        const machine = new KeyMachine(of, null);
        let waits: RuleEvent[] = [];
        let settled = machine.save();
        let behindSinceUs: number | null = null;
        const all: RuleEvent[] = [];
        const reported = new Set<string>();
        for (const { batch, watermarkUs } of crowd(made)) {
          const { settled: ended, provisional } = machine.step(batch, watermarkUs);
          for (const id of evidence([...ended, ...provisional])) reported.add(id);
          all.push(...batch);
          const anew = new KeyMachine(of, settled);
          waits = [...waits, ...batch];
          const expected = anew.step(waits, watermarkUs);
          expect(machine.save()).toEqual(anew.save());
          settled = JSON.parse(JSON.stringify(machine.save()));
          waits = waits.filter((e) => e.timeUs > watermarkUs);
          const asAnew = { provisional: unsaid(expected.provisional), progress: anew.progress() };
          if (isDeepStrictEqual({ provisional: unsaid(provisional), progress: machine.progress() }, asAnew)) {
            behindSinceUs = null;
            same++;
            continue;
          }
          behindSinceUs ??= watermarkUs;
          expect(watermarkUs - behindSinceUs).toBeLessThan(8 * BETWEEN_MARKS * BEHIND_US_EACH);
        }
        for (const id of evidence(machine.step([], LATER).settled)) reported.add(id);
        const whole = evidence(new KeyMachine(of, null).step(all, LATER).settled);
        expect(whole.filter((id) => !reported.has(id))).toEqual([]);
      }),
      { seed: 7, numRuns: effort(12), endOnFailure: true },
    );
    expect(same).toBeGreaterThan(100);
  },
);

test("what comes late costs what came after it, not all that waits, and not at every step", () => {
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
  const taken = (events: readonly RuleEvent[], watermarkUs: number) => {
    takes = 0;
    machine.step(events, watermarkUs);
    return takes;
  };
  const all = Array.from({ length: 4_000 }, (_, i) => event(i + 1, (i + 1) * 10_000));
  expect(taken(all, 0)).toBe(4_000);
  expect(taken([event(9_000, 39_900_500)], 0)).toBe(0);
  // what comes in order is taken at once, also where it comes with what does not
  expect(taken([event(9_001, 39_900_600), event(9_002, 41 * S)], 0)).toBe(1);
  expect(machine.nextChangeUs).toBeLessThanOrEqual(4_001 * BEHIND_US_EACH);
  expect(taken([], 4_001 * BEHIND_US_EACH - 1)).toBe(800);
  // settled up to 8.1 s: marks stand where they stood
  expect(taken([], 8_100_000)).toBeLessThanOrEqual(10 + BETWEEN_MARKS + 14);
  expect(taken([], 8_200_000)).toBe(10);
});

test("what settles is what came, not what the run had taken that was behind", () => {
  const of = how((saved) => new CountRun({ ...quiet, count: 12, windowUs: 5 * S }, saved));
  const [machine, anew] = [new KeyMachine(of, null), new KeyMachine(of, null)];
  const all = Array.from({ length: 1_000 }, (_, i) => event(i + 1, (i + 1) * 1_000));
  const late = event(9_000, 500_500);
  machine.step(all, 0);
  machine.step([late], 0);
  machine.step([], 1.5 * S);
  anew.step([...all, late], 1.5 * S);
  expect(machine.save()).toEqual(anew.save());
});

test("all evidence is reported, also what settles before the run has taken it", () => {
  const machine = new KeyMachine(
    how((saved) => new CountRun({ ...quiet, count: 12, windowUs: 5 * S }, saved)),
    null,
  );
  const all = Array.from({ length: 1_000 }, (_, i) => event(i + 1, (i + 1) * 10_000));
  const reported = new Set<string>();
  const report = (events: readonly RuleEvent[], watermarkUs: number) => {
    const { settled, provisional } = machine.step(events, watermarkUs);
    for (const { added } of [...settled, ...provisional]) for (const { id } of added ?? []) reported.add(id);
  };
  report(all, 0);
  report([event(9_000, 505_000)], 0);
  report([], 0.6 * S);
  report([], 1_001 * BEHIND_US_EACH);
  report([], 60 * S);
  expect([...reported].sort()).toEqual([...all.map((e) => e.id), "9000"].sort());
});

test("what a person closed is closed at once, whatever waits", () => {
  const machine = new KeyMachine(KINDS[0]![1], null);
  machine.step(
    Array.from({ length: 1_000 }, (_, i) => event(i + 1, (i + 1) * 1_000)),
    0,
  );
  machine.step([event(9_000, 500)], 0);
  const { provisional } = machine.step([event(0, 999_999, { meets: [], ends: "hand" })], Number.NEGATIVE_INFINITY);
  expect(provisional.map((e) => e.clearedBy)).toEqual(["hand"]);
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

test("what comes twice among much that waits counts once, wherever it stands", () => {
  const of = how((saved) => new CountRun({ ...quiet, count: 12, windowUs: 5 * S }, saved));
  const machine = new KeyMachine(of, null);
  const all = Array.from({ length: 1_000 }, (_, i) => event(i + 1, Math.floor(i / 3) * 1_000));
  machine.step(all, -1);
  for (const again of [all.slice(0, 7), all.slice(-2), [all[500]!, all[499]!, event(2_000, 166_000)], all])
    machine.step(again, -1);
  const { settled } = machine.step([], 3_600 * S);
  expect(settled.map((e) => e.count)).toEqual([1_001]);
});
