import fc from "fast-check";
import { JsonBytes } from "./json-bytes.js";

const text = fc.oneof(
  fc.string({ unit: "binary" }),
  fc.string({ unit: "grapheme" }),
  fc.constantFrom("", "\u0000", "\ud800", "\udc00 alone", "🚢", '"', "\\", "\u007f\u2028", "\b\f\n\r\t\u001f"),
);
const said = (json: JsonBytes): string => new TextDecoder("utf-8", { fatal: true }).decode(json.take());

test("values stand as JSON.stringify writes them, however small the buffer was", () => {
  fc.assert(
    fc.property(
      fc.array(fc.oneof(text, fc.jsonValue()), { maxLength: 8 }),
      fc.integer({ min: 1, max: 40 }),
      (of, size) => {
        const json = new JsonBytes(size);
        json.ascii("[");
        for (const [i, value] of of.entries()) {
          if (i > 0) json.ascii(",");
          json.value(value);
        }
        json.ascii("]");
        expect(said(json)).toBe(JSON.stringify(of));
        expect(json.length).toBe(0);
      },
    ),
  );
});

test("what was taken stays as it was when more is written", () => {
  const json = new JsonBytes(64);
  json.text("one");
  const taken = json.take();
  json.text("two");
  expect([Buffer.from(taken).toString(), said(json)]).toEqual(['"one"', '"two"']);
});
