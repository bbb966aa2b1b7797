import fc from "fast-check";
import { JsonBytes } from "../../base/bytes/index.js";
import { testRecord } from "../../testing/record.js";
import { contentToJson, writeContent } from "./json.js";
import type { RecordContent } from "./record.js";

const text = fc.oneof(
  fc.string({ unit: "binary" }),
  fc.string({ unit: "grapheme" }),
  fc.constantFrom("\u0000", "\ud800", "\udc00 alone", "🚢", '"', "\\", "\u007f\u2028", "\b\f\n\r\t\u001f"),
);

test("what is written of a record is its object in JSON, whatever it holds", () => {
  const number = fc.option(fc.integer({ min: 0, max: 70_000 }));
  const count = fc.option(fc.oneof(fc.nat(), fc.bigInt({ min: 0n, max: 2n ** 64n - 1n })));
  const parts: fc.Arbitrary<Partial<RecordContent>> = fc.record(
    {
      timeUs: fc.integer({ min: 0, max: 4_102_444_799_999_999 }),
      clockOffsetMs: fc.integer({ min: -5, max: 5 }),
      facility: fc.option(fc.integer({ min: 0, max: 23 })),
      deviceTime: fc.option(text),
      host: fc.option(text),
      app: fc.option(text),
      users: fc.array(text, { maxLength: 3 }),
      srcPort: number,
      protocol: number,
      bytes: count,
      packets: count,
      otherAddresses: fc.array(text, { maxLength: 2 }),
      translated: fc.option(
        fc.record({ src: fc.option(text), srcPort: number, dst: fc.option(text), dstPort: number }),
      ),
      text,
      data: fc.array(fc.tuple(text, text), { maxLength: 3 }),
      marks: fc.subarray(["problem", "clock corrected"] as const),
      problem: fc.option(fc.record({ code: fc.constant("BAD_VALUE" as const), offset: fc.nat(), message: text })),
    },
    { requiredKeys: [] },
  ) as fc.Arbitrary<Partial<RecordContent>>;
  fc.assert(
    fc.property(parts, (over) => {
      const record = testRecord(over);
      const json = new JsonBytes(16);
      json.ascii('{"line":1');
      writeContent(record, json);
      json.ascii("}");
      const written = new TextDecoder("utf-8", { fatal: true }).decode(json.take());
      expect(written).toBe(JSON.stringify({ line: 1, ...contentToJson(record) }));
    }),
    { numRuns: 500 },
  );
});
