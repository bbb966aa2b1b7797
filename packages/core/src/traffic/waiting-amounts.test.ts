import fc from "fast-check";
import { DIMENSIONS } from "./dimensions.js";
import { PassageValues, Scratch, WaitingAmounts } from "./waiting-amounts.js";

const SOURCE = DIMENSIONS.indexOf("source");
const PAIR = DIMENSIONS.indexOf("pair");
type Sums = Map<string, readonly [bytes: number, packets: number, flows: number]>;
const plus = (sums: Sums, key: string, [bytes, packets, flows]: readonly [number, number, number]): void => {
  const known = sums.get(key) ?? [0, 0, 0];
  sums.set(key, [known[0] + bytes, known[1] + packets, known[2] + flows]);
};

const passage = fc.record({
  source: fc.option(fc.constantFrom("a", "b", "c", "", "\u2026"), { nil: null }),
  pair: fc.option(fc.string({ maxLength: 2 }), { nil: null }),
  // of one passage amounts may lie in several groups, and several in one
  amounts: fc.array(
    fc.record({
      group: fc.integer({ min: 0, max: 6 }),
      bytes: fc.maxSafeNat(),
      packets: fc.nat(),
      flows: fc.constantFrom<0 | 1>(0, 1),
    }),
    { maxLength: 4 },
  ),
});

test("added up group by group is as added one by one, round after round with the same room", () => {
  const [values, waiting, scratch] = [new PassageValues(), new WaitingAmounts(), new Scratch()];
  fc.assert(
    fc.property(fc.array(passage, { maxLength: 60 }), (passages) => {
      const wanted = new Map([SOURCE, PAIR].map((d): [number, Sums] => [d, new Map()]));
      for (const { source, pair, amounts } of passages) {
        const number = values.next();
        values.set(SOURCE, source);
        values.set(PAIR, pair);
        for (const { group, bytes, packets, flows } of amounts) {
          // what is summed stays a number that is exact
          const some = bytes % 1e12;
          waiting.add(group, number, some, packets, flows);
          if (source !== null) plus(wanted.get(SOURCE)!, `${group} ${source}`, [some, packets, flows]);
          if (pair !== null) plus(wanted.get(PAIR)!, `${group} ${pair}`, [some, packets, flows]);
        }
      }
      waiting.sort(7);
      for (const [dimension, sums] of wanted) {
        const found: Sums = new Map();
        waiting.addUp(values.column(dimension), values.count(dimension), scratch, (group, value, ...amounts) => {
          const key = `${group} ${values.text(dimension, value)}`;
          expect(found.has(key)).toBe(false);
          found.set(key, amounts);
        });
        expect(new Map([...found].sort())).toEqual(new Map([...sums].sort()));
      }
      waiting.clear();
      values.clear();
    }),
  );
});

test("it grows with what waits, and says when that is enough", () => {
  const [values, waiting] = [new PassageValues(), new WaitingAmounts()];
  let passages = 0;
  for (; !values.isFull; passages++) {
    const number = values.next();
    if (number !== passages) throw new Error(`${number} is not the next`);
    values.set(SOURCE, String(passages % 3_000));
    waiting.add(passages % 5, number, 2, 1, 1);
  }
  expect(waiting.isFull).toBe(false);
  waiting.sort(5);
  const totals = [0, 0, 0, 0, 0];
  let called = 0;
  waiting.addUp(values.column(SOURCE), values.count(SOURCE), new Scratch(), (group, _value, bytes) => {
    totals[group]! += bytes;
    called++;
  });
  expect(totals.reduce((a, b) => a + b)).toBe(2 * passages);
  // 3,000 values, each of which stands in one of five groups alone
  expect(called).toBe(3_000);
  while (!waiting.isFull) waiting.add(0, 0, 1, 1, 0);
  waiting.clear();
  expect(waiting.isEmpty).toBe(true);
});
