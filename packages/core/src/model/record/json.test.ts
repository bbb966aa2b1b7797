import fc from "fast-check";
import { JsonBytes } from "../../base/bytes/index.js";
import { arbitraryRecord } from "../../testing/filters.js";
import { testRecord } from "../../testing/record.js";
import { contentToJson, writeContent } from "./json.js";
import type { RecordContent } from "./record.js";

const text = fc.oneof(
  fc.string({ unit: "binary" }),
  fc.string({ unit: "grapheme" }),
  fc.constantFrom("\u0000", "\ud800", "\udc00 alone", "🚢", '"', "\\", "\u007f\u2028", "\b\f\n\r\t\u001f"),
);

/** What arbitrary records leave out: signs that JSON escapes, in any text. */
const hostile: fc.Arbitrary<Partial<RecordContent>> = fc.record({
  deviceTime: fc.option(text),
  host: fc.option(text),
  users: fc.array(text, { maxLength: 3 }),
  text,
  data: fc.array(fc.tuple(text, text), { maxLength: 3 }),
  problem: fc.option(fc.record({ code: fc.constant("BAD_VALUE" as const), offset: fc.nat(), message: text })),
});

test("what is written of a record is its object in JSON, whatever it holds", () => {
  fc.assert(
    fc.property(fc.oneof(arbitraryRecord, hostile.map(testRecord)), (record) => {
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
