import fc from "fast-check";
import { bytes } from "../../testing/bytes.js";
import { flowSet, ipfixMessage, templateBody } from "../../testing/flow-bytes.js";
import { FlowDecoder } from "./decode-flow.js";

/**
 * A batch that was not stored is decoded again: that must give the records it would have given, whatever was held for templates and wherever
 * the template came. Element ids: RFC 7012 section 5, sourceIPv4Address (8), octetDeltaCount (1).
 */
const FIELDS = [
  [8, 4],
  [1, 4],
] as const;
const EXPORT = 1_700_000_000;
const T = EXPORT * 1e6;

type Part = { readonly exporter: number; readonly template: number; readonly data: readonly number[] | null };
const parts: fc.Arbitrary<Part> = fc.record({
  exporter: fc.integer({ min: 0, max: 1 }),
  template: fc.integer({ min: 256, max: 258 }),
  // null: the template itself
  data: fc.oneof(
    { weight: 3, arbitrary: fc.array(fc.nat(1_000_000), { minLength: 1, maxLength: 3 }) },
    { weight: 1, arbitrary: fc.constant(null) },
  ),
});
const histories = fc.array(
  fc.record({ parts: fc.array(parts, { minLength: 1, maxLength: 6 }), failures: fc.integer({ min: 0, max: 2 }) }),
  { minLength: 1, maxLength: 8 },
);

/** Datagrams with the sequence numbers their exporters would give (RFC 7011 section 3.1: data records sent before). */
function datagrams(batches: readonly { readonly parts: readonly Part[] }[]) {
  const sent = [0, 0];
  return batches.map(({ parts: own }) =>
    own.map(({ exporter, template, data }) => {
      const head = { exportSeconds: EXPORT, sequence: sent[exporter]!, domain: 7 };
      const octets = data?.map((n) => bytes().u32(0xcb007109, n).done());
      if (octets) sent[exporter]! += octets.length;
      return {
        exporter: `192.0.2.${exporter}`,
        bytes: ipfixMessage(
          head,
          octets ? flowSet(template, Buffer.concat(octets)) : flowSet(2, templateBody(template, FIELDS)),
        ),
      };
    }),
  );
}

type Outcome = { readonly octets: string[]; readonly held: number; readonly givenUp: number };
function outcome(
  batches: readonly { readonly parts: readonly Part[]; readonly failures: number }[],
  failing: boolean,
): Outcome {
  const decoder = new FlowDecoder();
  const octets: string[] = [];
  for (const [i, batch] of datagrams(batches).entries()) {
    const once = () => {
      decoder.begin();
      return batch.flatMap(({ exporter, bytes: b }) => {
        const d = decoder.decode(b, exporter, T + i * 1e6);
        return [...d.records, ...d.released.flatMap((r) => r.records)].map((r) => `${exporter} ${r.bytes}`);
      });
    };
    for (let n = failing ? batches[i]!.failures : 0; n > 0; n--) {
      once();
      decoder.rollback();
    }
    octets.push(...once());
  }
  return { octets: octets.sort(), held: decoder.heldSets, givenUp: decoder.givenUp };
}

test("however often a batch fails, its records come once, and what waits for a template still waits", () => {
  fc.assert(
    fc.property(histories, (batches) => {
      expect(outcome(batches, true)).toEqual(outcome(batches, false));
    }),
    { seed: 31, numRuns: 300 },
  );
});

test("the property is no empty one: templates come before, within and after their data", () => {
  const outcomes = fc.sample(histories, { seed: 31, numRuns: 100 }).map((b) => outcome(b, false));
  expect(outcomes.some((o) => o.held > 0)).toBe(true);
  expect(outcomes.some((o) => o.octets.length > 5)).toBe(true);
});

test("what was given up while a batch failed is counted once", () => {
  const decoder = new FlowDecoder();
  const data = datagrams([{ parts: [{ exporter: 0, template: 256, data: [1] }] }])[0]![0]!;
  decoder.begin();
  decoder.decode(data.bytes, "192.0.2.0", T);
  // half an hour later nothing of it can be read any more
  const late = T + 31 * 60e6;
  for (let i = 0; i < 3; i++) {
    decoder.begin();
    decoder.decode(data.bytes, "192.0.2.1", late);
    if (i < 2) decoder.rollback();
  }
  expect([decoder.givenUp, decoder.heldSets]).toEqual([1, 1]);
});
