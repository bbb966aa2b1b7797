import fc from "fast-check";
import { SyslogFraming } from "./index.js";

const bytes = (text: string) => new TextEncoder().encode(text);
const texts = (framing: SyslogFraming, chunks: readonly Uint8Array[]) => {
  const out = chunks.flatMap((c) => [...framing.push(c)]);
  const rest = framing.end();
  return [...out, ...(rest ? [rest] : [])].map((f) => new TextDecoder().decode(f.bytes));
};

// RFC 6587: 3.4.1 octet counting, 3.4.2 non-transparent framing
const STREAMS: readonly (readonly [string, string, readonly string[]])[] = [
  ["octet counting with embedded line ends", "8 <13>a\nb\n7 <14>xyz", ["<13>a\nb\n", "<14>xyz"]],
  ["LF framing", "<13>first å\n<14>second\n", ["<13>first å", "<14>second"]],
  ["LF framing, last line without its end", "<13>first\n<14>rest", ["<13>first", "<14>rest"]],
  ["NUL framing, as some senders do", "<13>first\0<14>second\0", ["<13>first", "<14>second"]],
  ["a relay joins both: counted first", "4 <1>a<2>b\n4 <3>c", ["<1>a", "<2>b", "<3>c"]],
  ["a relay joins both: lines first", "<1>a\n6 <2>b\nc<3>d\n5 <12>", ["<1>a", "<2>b\nc", "<3>d", "<12>"]],
  [
    "numbers that are text",
    "<1>a\n12 of 20\n2026-11-24\n7 <b>\n3 <1>\n12",
    ["<1>a", "12 of 20", "2026-11-24", "7 <b>", "3 <1>", "12"],
  ],
  ["counted frames with line ends between them", "4 <1>a\n4 <2>b\n", ["<1>a", "<2>b"]],
];

describe("RFC 6587 framing, cut at every byte", () => {
  test.each(STREAMS)("%s", (_what, stream, want) => {
    const input = bytes(stream);
    for (let cut = 0; cut <= input.length; cut++)
      expect(texts(new SyslogFraming(8192), [input.subarray(0, cut), input.subarray(cut)])).toEqual(want);
    expect(
      texts(
        new SyslogFraming(8192),
        [...input].map((b) => Uint8Array.of(b)),
      ),
    ).toEqual(want);
  });
  test("octets are counted, not characters: a multi-byte character may be split between segments", () => {
    const message = "<13>åäö";
    const input = bytes(`${bytes(message).length} ${message}`);
    for (let cut = 0; cut <= input.length; cut++)
      expect(texts(new SyslogFraming(8192), [input.subarray(0, cut), input.subarray(cut)])).toEqual([message]);
  });
});

test("any messages, any cuts: what goes in comes out", () => {
  fc.assert(
    fc.property(
      fc.array(fc.uint8Array({ minLength: 1, maxLength: 60 }), { maxLength: 8 }),
      fc.array(fc.nat(400), { maxLength: 6 }),
      (messages, cuts) => {
        const parts = messages.map((m) => Buffer.concat([bytes(`${m.length} `), m]));
        const stream = Buffer.concat(parts);
        const at = [0, ...cuts.map((c) => Math.min(c, stream.length)).sort((a, b) => a - b), stream.length];
        const framing = new SyslogFraming(100);
        const got = at.slice(1).flatMap((end, i) => [...framing.push(stream.subarray(at[i], end))]);
        expect(got.map((f) => [...f.bytes])).toEqual(messages.map((m) => [...m]));
        expect(framing.fault).toBeNull();
      },
    ),
    { seed: 6587, numRuns: 300 },
  );
});

describe("limits", () => {
  test("a frame too long is cut, its rest counted, and the next one whole", () => {
    const framing = new SyslogFraming(5);
    const frames = [...framing.push(bytes("<13>abcdef\n<1>x\n"))];
    expect(frames.map((f) => [new TextDecoder().decode(f.bytes), f.lostBytes])).toEqual([
      ["<13>a", 5],
      ["<1>x", 0],
    ]);
  });
  test("a length that goes on and on holds no memory and ends the connection", () => {
    const framing = new SyslogFraming(100);
    expect([...framing.push(bytes("12345678901234567890"))]).toEqual([]);
    expect(framing.fault).toMatchObject({ code: "BAD_FRAME" });
    expect(framing.pendingBytes).toBe(0);
  });
  test("a length followed by something else is a fault that says what came", () => {
    const framing = new SyslogFraming(100);
    expect([...framing.push(bytes("5x<13>a"))]).toEqual([]);
    expect(framing.fault?.message).toContain('got "x"');
  });
});

test("a counted message that the end of the stream cuts says how much is missing", () => {
  const framing = new SyslogFraming(100);
  expect([...framing.push(bytes("20 <13>only a part"))]).toEqual([]);
  expect(framing.end()).toMatchObject({ bytes: bytes("<13>only a part"), missingBytes: 5 });
  const lines = new SyslogFraming(100);
  expect([...lines.push(bytes("<13>a last line"))]).toEqual([]);
  expect(lines.end()).toMatchObject({ missingBytes: 0 });
});
