import fc from "fast-check";
import { emptyFlow } from "../decode/flow/index.js";
import { type ContentDraft, emptyContent } from "../model/record/index.js";
import { FLOW_BOUNDS, fitContent, fitText, MAX_TIME_US, NUMBER_BOUNDS, TEXT_BOUNDS } from "./fit.js";

const RECEIVED = 1_795_485_911_000_000;
const FLOW = { ...emptyFlow(), domain: 0, sequence: 0 };
const BYTES = Uint8Array.of(1, 2, 3);
const content = (over: Partial<ContentDraft> = {}) =>
  Object.assign(emptyContent("syslog", RECEIVED, RECEIVED), { text: "a line" }, over);
const fit = (over: Partial<ContentDraft>) => fitContent(content(over), BYTES);

test("what fits comes back as it is, and not as a copy", () => {
  const one = content({ host: "dc-1", users: ["k.lind"], data: [["a", "b"]], flow: FLOW });
  expect(fitContent(one, BYTES)).toBe(one);
});

describe("texts", () => {
  test.each(Object.entries(TEXT_BOUNDS))("%s may have %i characters and no more", (name, most) => {
    expect(fit({ [name]: "x".repeat(most) })).toMatchObject({ problem: null, marks: [] });
    const cut = fit({ [name]: "x".repeat(most + 1) });
    expect(cut[name as keyof typeof TEXT_BOUNDS]).toHaveLength(most);
    expect(cut).toMatchObject({
      problem: { code: "TOO_LONG", message: `${name}: expected at most ${most} characters, got ${most + 1}` },
      marks: ["problem"],
      raw: BYTES,
    });
  });

  test("U+0000, which PostgreSQL refuses in a text, is shown; the bytes are kept, and it is no problem", () => {
    expect(fit({ text: "a\0b", host: "h\0" })).toMatchObject({ text: "a␀b", host: "h␀", problem: null, raw: BYTES });
  });

  test.each(Object.keys(TEXT_BOUNDS))(
    "%s short or long, wherever in it a character stands that does not fit",
    (name) => {
      for (const length of [0, 5, 31, 32, 33, 90])
        for (const at of [0, length >> 1, length]) {
          const around = (mark: string) => `${"x".repeat(at)}${mark}${"ø".repeat(length - at)}`;
          expect(fit({ [name]: around("\0") })).toMatchObject({ [name]: around("␀"), raw: BYTES });
          expect(fit({ [name]: around("\udc00") })).toMatchObject({ [name]: around("\ufffd"), marks: ["problem"] });
          const fits = content({ [name]: around("\u{1f6a2}") });
          expect(fitContent(fits, BYTES)).toBe(fits);
        }
    },
  );

  test("half a surrogate pair is U+FFFD, and said", () => {
    expect(fit({ host: "h\ud83d" })).toMatchObject({ host: "h\ufffd", problem: { code: "BAD_VALUE" } });
  });

  test("bytes that are kept already stay", () => {
    const raw = Uint8Array.of(9);
    expect(fit({ text: "a\0b", raw }).raw).toBe(raw);
  });

  test("the first fault is the record's problem; one that was there before stays", () => {
    expect(fit({ host: "h".repeat(300), app: "\ud83d" }).problem?.message).toMatch(/^host: /);
    const before = { code: "TRUNCATED", offset: 4, message: "cut" } as const;
    expect(fit({ host: "h".repeat(300), problem: before, marks: ["problem"] })).toMatchObject({
      problem: before,
      marks: ["problem"],
    });
  });
});

describe("numbers", () => {
  test.each(
    Object.entries(NUMBER_BOUNDS).flatMap(([name, most]) =>
      [-1, most + 1, Number.NaN, Number.POSITIVE_INFINITY].map((n) => [name, n] as const),
    ),
  )("%s of %d is none, and stands among the values as it came", (name, n) => {
    const fitted = fit({ [name]: n });
    expect(fitted[name as keyof typeof NUMBER_BOUNDS]).toBeNull();
    expect(fitted.data).toEqual([[`unreadable ${name}`, String(n)]]);
    expect(fitted.marks).toEqual(["problem"]);
  });
  test.each(Object.entries(NUMBER_BOUNDS))("%s of 0 and of %i stand", (name, most) => {
    for (const n of [0, most]) expect(fit({ [name]: n })).toMatchObject({ [name]: n, problem: null });
  });
  test.each(Object.entries(FLOW_BOUNDS))("of a flow, %s beyond its bound likewise; the others stand", (name, most) => {
    const fitted = fit({ flow: { ...FLOW, [name]: most + 1, application: "dns" } });
    expect(fitted.flow).toMatchObject({ [name]: null, application: "dns" });
    expect(fitted.data).toEqual([[`unreadable ${name}`, String(most + 1)]]);
  });
  test("a translation keeps the port that there is", () => {
    const translated = { src: "10.0.0.1", dst: null, srcPort: 70_000, dstPort: 443 };
    expect(fit({ translated })).toMatchObject({
      translated: { ...translated, srcPort: null },
      problem: { message: "translated ports: expected 0 to 65535, got 70000 and 443" },
    });
  });
});

describe("times", () => {
  test.each([
    ["far ahead", MAX_TIME_US + 1, "arrival: too far ahead"],
    ["before 1970", -1, "arrival: too far behind"],
    ["no number", Number.NaN, "arrival: too far behind"],
  ])("a time that is %s gives way to the arrival", (_what, timeUs, timeReason) => {
    expect(fit({ timeUs })).toMatchObject({ timeUs: RECEIVED, timeReason });
  });
  test("an arrival out of all bounds is put at the nearest, and is a problem", () => {
    expect(fit({ receivedUs: -5, timeUs: -5 })).toMatchObject({
      receivedUs: 0,
      timeUs: 0,
      problem: { code: "BAD_VALUE" },
    });
    expect(fit({ receivedUs: MAX_TIME_US + 1 })).toMatchObject({ receivedUs: MAX_TIME_US, timeUs: RECEIVED });
  });
  test("a clock that is a month off and more says no offset", () => {
    expect(fit({ clockOffsetMs: 2 ** 31 }).clockOffsetMs).toBe(0);
    expect(fit({ clockOffsetMs: -(2 ** 31 - 1) }).clockOffsetMs).toBe(-(2 ** 31 - 1));
  });
});

describe("lists", () => {
  test("of users the first 64, each cut", () => {
    const { users, problem } = fit({ users: Array.from({ length: 70 }, (_, i) => `${i}${"u".repeat(300)}`) });
    expect([users.length, users[63]!.length, problem?.code]).toEqual([64, 255, "TOO_LONG"]);
  });
  test("of addresses the first 200", () => {
    const otherAddresses = Array.from({ length: 201 }, (_, i) => `10.0.${i >> 8}.${i & 255}`);
    expect(fit({ otherAddresses }).otherAddresses).toEqual(otherAddresses.slice(0, 200));
  });
  test("of named values the first 4,000, names and values cut", () => {
    const { data, problem } = fit({ data: [["n".repeat(2_000), "v".repeat(70_000)]] });
    expect([data[0]![0].length, data[0]![1].length, problem?.code]).toEqual([1_024, 65_536, "TOO_LONG"]);
    expect(fit({ data: Array.from({ length: 4_001 }, () => ["a", "b"] as const) }).data).toHaveLength(4_000);
  });
});

test("whatever a content holds, what comes back fits, and fitting it again changes nothing", () => {
  const text = fc.oneof(fc.string({ unit: "binary" }), fc.constantFrom("\0", "\ud800", "x".repeat(300)));
  const number = fc.option(fc.oneof(fc.integer({ min: -2, max: 70_000 }), fc.constant(Number.NaN)));
  const any = fc.record({
    host: fc.option(text),
    app: fc.option(text),
    event: fc.option(text),
    text,
    srcPort: number,
    dstPort: number,
    protocol: number,
    users: fc.array(text, { maxLength: 5 }),
    data: fc.array(fc.tuple(text, text), { maxLength: 5 }),
    timeUs: fc.oneof(fc.constantFrom(-1, 0, MAX_TIME_US, MAX_TIME_US + 1, Number.NaN), fc.constant(RECEIVED)),
  });
  fc.assert(
    fc.property(any, (over) => {
      const once = fit(over);
      expect(fitContent(once, BYTES)).toBe(once);
      for (const part of [once.host, once.app, once.event, once.text, ...once.users, ...once.data.flat()])
        if (part !== null) expect(part.isWellFormed() && !part.includes("\0")).toBe(true);
    }),
  );
});

test.each([
  ["ab", 2, "ab"],
  ["abc", 2, "ab"],
  ["a🚢", 2, "a\ufffd"],
  ["\0\0", 1, "␀"],
])("%j within %i characters", (text, most, fitted) => expect(fitText(text, most)).toBe(fitted));
