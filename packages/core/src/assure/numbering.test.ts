import fc from "fast-check";
import { numbered } from "./index.js";

const up = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, i) => from + i);

test.each<[string, number[], object | null]>([
  ["nothing came", [], null],
  ["one after the other", up(5, 9), { first: 5, last: 9, received: 5, missing: 0, anew: 0 }],
  ["some between never came", [5, 6, 9, 10], { first: 5, last: 10, received: 4, missing: 2, anew: 0 }],
  ["a late one is not missing", [5, 6, 9, 10, 7], { first: 5, last: 10, received: 5, missing: 1, anew: 0 }],
  ["what comes twice counts once", [5, 6, 6, 5, 7], { first: 5, last: 7, received: 3, missing: 0, anew: 0 }],
  [
    "a log that was cleared begins at 1",
    [700, 701, 1, 2, 4],
    { first: 700, last: 4, received: 5, missing: 1, anew: 1 },
  ],
  [
    "it begins anew, its first one lost",
    [90_000, 90_001, 3, 4],
    { first: 90_000, last: 4, received: 4, missing: 0, anew: 1 },
  ],
  // RFC 5424 section 7.3.1: after 2147483647 comes 1
  [
    "the highest number",
    [2_147_483_646, 2_147_483_647, 1, 2],
    { first: 2_147_483_646, last: 2, received: 4, missing: 0, anew: 1 },
  ],
  [
    "made of the time, they are no count",
    [1_000_000, 2_000_000, 3_500_000],
    { first: 1_000_000, last: 3_500_000, received: 3, missing: null, anew: 0 },
  ],
  [
    "what is sent again from before it began anew",
    [700, 701, 1, 2, 700, 3],
    { first: 700, last: 3, received: 5, missing: 0, anew: 1 },
  ],
])("%s", (_what, numbers, want) => expect(numbered(numbers)).toEqual(want));

test("missing is what was left out, whatever comes late or twice", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 2, max: 1e9 }),
      fc.array(fc.record({ lost: fc.boolean(), twice: fc.boolean(), swap: fc.boolean() }), {
        minLength: 3,
        maxLength: 200,
      }),
      (start, steps) => {
        const sent = steps.flatMap(({ lost, twice }, i) => (lost ? [] : twice ? [start + i, start + i] : [start + i]));
        for (const [i, { swap }] of steps.entries())
          if (swap && i > 0 && i < sent.length) [sent[i - 1], sent[i]] = [sent[i]!, sent[i - 1]!];
        if (sent.length === 0) return;
        const different = new Set(sent);
        const span = Math.max(...sent) - Math.min(...sent) + 1;
        expect(numbered(sent)).toMatchObject({ received: different.size, missing: span - different.size, anew: 0 });
      },
    ),
  );
});
