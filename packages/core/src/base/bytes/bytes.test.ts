import fc from "fast-check";
import { ByteReader, DecodeError, decodeUtf8, firstBadUtf8 } from "./index.js";

const bytes = (hex: string) => Uint8Array.from(hex.split(" ").filter(Boolean), (h) => Number.parseInt(h, 16));
const codeOf = (act: () => unknown): [string, number, string] | null => {
  try {
    act();
    return null;
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    return [e.code, e.offset, e.message];
  }
};

describe("reading bytes", () => {
  const EIGHT = "01 02 03 04 05 06 07 08";
  test.each<[string, boolean, (r: ByteReader) => number | bigint, number | bigint]>([
    ["u8", false, (r) => r.u8("x"), 0x01],
    ["u16 of the network", false, (r) => r.u16("x"), 0x0102],
    ["u16, the other end first", true, (r) => r.u16("x"), 0x0201],
    ["u32 of the network", false, (r) => r.u32("x"), 0x01020304],
    ["u32, the other end first", true, (r) => r.u32("x"), 0x04030201],
    ["u64 of the network", false, (r) => r.u64("x"), 0x0102030405060708n],
    ["u64, the other end first", true, (r) => r.u64("x"), 0x0807060504030201n],
  ])("%s", (_what, little, read, want) => expect(read(new ByteReader(bytes(EIGHT), little))).toBe(want));

  test("a u32 with its highest bit is positive; a u64 beyond 2^53 is exact", () => {
    expect(new ByteReader(bytes("ff ff ff ff")).u32("x")).toBe(4_294_967_295);
    expect(new ByteReader(bytes("ff ff ff ff ff ff ff ff")).u64("x")).toBe(18_446_744_073_709_551_615n);
  });

  test("a read beyond the end names what it read and where, and moves nothing", () => {
    const reader = new ByteReader(bytes("01 02 03"));
    reader.u8("first");
    expect(codeOf(() => reader.u32("the length"))).toEqual([
      "TRUNCATED",
      1,
      "the length: expected 4 bytes, 2 left at byte 1",
    ]);
    expect(reader.u16("rest")).toBe(0x0203);
    expect([reader.left, reader.offset]).toEqual([0, 3]);
  });

  test("a reader within a reader cannot leave its part, and tells places of the whole", () => {
    const outer = new ByteReader(bytes(EIGHT), false, 100);
    outer.skip(2, "head");
    const inner = outer.sub(3, "part");
    expect([inner.u8("a"), inner.offset]).toEqual([0x03, 103]);
    expect(codeOf(() => inner.u32("more"))?.slice(0, 2)).toEqual(["TRUNCATED", 103]);
    expect(outer.u8("after the part")).toBe(0x06);
  });

  test("the bytes of a view into a larger buffer are the view's own", () => {
    const whole = bytes("aa bb 01 02 cc");
    expect(new ByteReader(whole.subarray(2, 4)).u16("x")).toBe(0x0102);
  });

  test("whatever is asked, in whatever order: what was read and what is left make the whole", () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 40 }), fc.array(fc.nat(12), { maxLength: 12 }), (input, lengths) => {
        const reader = new ByteReader(input);
        const read: number[] = [];
        for (const length of lengths) {
          const { left } = reader;
          const failed = codeOf(() => read.push(...reader.slice(length, "part"))) !== null;
          expect(failed).toBe(length > left);
          expect([read.length + reader.left, reader.offset]).toEqual([input.length, read.length]);
        }
        expect(read).toEqual([...input.slice(0, read.length)]);
      }),
      { seed: 4, numRuns: 300 },
    );
  });
});

describe("UTF-8", () => {
  test.each<[string, string, number]>([
    // RFC 3629, section 7
    ["A<NOT IDENTICAL TO><ALPHA>.", "41 e2 89 a2 ce 91 2e", -1],
    ["Korean", "ed 95 9c ea b5 ad ec 96 b4", -1],
    ["Japanese", "e6 97 a5 e6 9c ac e8 aa 9e", -1],
    ["a stump of a tree beyond the first plane", "ef bb bf f0 a3 8e b4", -1],
    // RFC 3629, section 10: forms that must not be taken
    ["NUL in two octets", "c0 80", 0],
    ["a slash in two octets", "2f c0 ae 2e 2f", 1],
    // RFC 3629, section 4: the edges of the syntax
    ["the last of two octets", "df bf", -1],
    ["the first of three octets", "e0 a0 80", -1],
    ["overlong in three octets", "e0 9f bf", 0],
    ["the last before the surrogates", "ed 9f bf", -1],
    ["a surrogate", "ed a0 80", 0],
    ["the first of four octets", "f0 90 80 80", -1],
    ["overlong in four octets", "f0 8f bf bf", 0],
    ["U+10FFFF", "f4 8f bf bf", -1],
    ["beyond U+10FFFF", "f4 90 80 80", 0],
    ["five octets", "f8 88 80 80 80", 0],
    ["an octet that follows nothing", "61 80", 1],
    ["a sequence cut off", "61 62 e2 89", 2],
    ["a sequence broken off by an ASCII letter", "e2 89 41", 0],
    ["nothing", "", -1],
  ])("%s", (_what, hex, at) => {
    expect(firstBadUtf8(bytes(hex))).toBe(at);
    expect(decodeUtf8(bytes(hex)).exact).toBe(at < 0);
  });

  test("agrees with the platform's decoder on any bytes", () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 24 }), (input) => {
        const { text, exact } = decodeUtf8(input);
        expect(exact).toBe(firstBadUtf8(input) < 0);
        if (exact) expect([...new TextEncoder().encode(text)]).toEqual([...input]);
        else expect(text).toContain("\ufffd");
      }),
      { seed: 5, numRuns: 2_000 },
    );
  });

  test("a byte order mark is a character of the text", () =>
    expect(decodeUtf8(bytes("ef bb bf 61"))).toEqual({ text: "\ufeffa", exact: true }));
});
