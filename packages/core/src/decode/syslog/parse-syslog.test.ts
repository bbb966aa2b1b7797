import { civilToUs } from "../../base/time/index.js";
import { decodeSyslog, parseSyslog } from "./index.js";

const context = { receivedUs: civilToUs(2003, 10, 11, 22, 14, 20), zone: "UTC" };
const parse = (line: string, over: Partial<typeof context> = {}) => parseSyslog(line, { ...context, ...over });

describe("RFC 5424 section 6.5, examples", () => {
  test.each([
    [
      "example 1, with no structured data",
      "<34>1 2003-10-11T22:14:15.003Z mymachine.example.com su - ID47 - \uFEFF'su root' failed for lonvick on /dev/pts/8",
      {
        facility: 4,
        severity: 2,
        deviceUs: civilToUs(2003, 10, 11, 22, 14, 15, 3000),
        host: "mymachine.example.com",
        app: "su",
        process: null,
        messageId: "ID47",
        data: [],
        text: "'su root' failed for lonvick on /dev/pts/8",
      },
    ],
    [
      "example 2, with no structured data and an offset",
      "<165>1 2003-08-24T05:14:15.000003-07:00 192.0.2.1 myproc 8710 - - %% It's time to make the do-nuts.",
      {
        facility: 20,
        severity: 5,
        deviceUs: civilToUs(2003, 8, 24, 12, 14, 15, 3),
        host: "192.0.2.1",
        app: "myproc",
        process: "8710",
        messageId: null,
        text: "%% It's time to make the do-nuts.",
      },
    ],
    [
      "example 3, with structured data",
      '<165>1 2003-10-11T22:14:15.003Z mymachine.example.com evntslog - ID47 [exampleSDID@32473 iut="3" eventSource="Application" eventID="1011"] \uFEFFAn application event log entry...',
      {
        app: "evntslog",
        data: [
          ["exampleSDID@32473 iut", "3"],
          ["exampleSDID@32473 eventSource", "Application"],
          ["exampleSDID@32473 eventID", "1011"],
        ],
        text: "An application event log entry...",
      },
    ],
    [
      "example 4, structured data only",
      '<165>1 2003-10-11T22:14:15.003Z mymachine.example.com evntslog - ID47 [exampleSDID@32473 iut="3" eventSource="Application" eventID="1011"][examplePriority@32473 class="high"]',
      {
        data: [
          ["exampleSDID@32473 iut", "3"],
          ["exampleSDID@32473 eventSource", "Application"],
          ["exampleSDID@32473 eventID", "1011"],
          ["examplePriority@32473 class", "high"],
        ],
        text: "",
      },
    ],
  ])("%s", (_source, line, want) => {
    const message = parse(line);
    expect(message).toMatchObject({ format: "RFC 5424", problem: null, ...want });
    expect(message.head + message.text + message.tail).toBe(line);
  });
});

describe("RFC 3164 section 5.4, examples", () => {
  test.each([
    [
      "example 1",
      "<34>Oct 11 22:14:15 mymachine su: 'su root' failed for lonvick on /dev/pts/8",
      {
        format: "RFC 3164",
        facility: 4,
        severity: 2,
        deviceUs: civilToUs(2003, 10, 11, 22, 14, 15),
        host: "mymachine",
        app: "su",
        text: "'su root' failed for lonvick on /dev/pts/8",
      },
    ],
    [
      "example 2, as sent: no PRI, no header",
      "Use the BFG!",
      { format: "bare", facility: null, severity: null, host: null, app: null, text: "Use the BFG!" },
    ],
    [
      "example 2, as relayed",
      "<13>Feb  5 17:32:18 10.0.0.99 Use the BFG!",
      { facility: 1, severity: 5, host: "10.0.0.99", app: null, text: "Use the BFG!" },
    ],
    [
      "example 3: the host is construed to be CST",
      "<165>Aug 24 05:34:00 CST 1987 mymachine myproc[10]: %% It's time to make the do-nuts.  %%  Ingredients: Mix=OK, Jelly=OK #",
      {
        facility: 20,
        severity: 5,
        host: "CST",
        app: null,
        text: "1987 mymachine myproc[10]: %% It's time to make the do-nuts.  %%  Ingredients: Mix=OK, Jelly=OK #",
      },
    ],
    [
      "example 4: no valid stamp, so all of it is text",
      "<0>1990 Oct 22 10:52:01 TZ-6 scapegoat.dmz.example.org 10.1.2.3 sched[0]: That's All Folks!",
      {
        facility: 0,
        severity: 0,
        deviceUs: null,
        host: null,
        text: "1990 Oct 22 10:52:01 TZ-6 scapegoat.dmz.example.org 10.1.2.3 sched[0]: That's All Folks!",
      },
    ],
  ])("%s", (_source, line, want) => {
    const message = parse(line);
    expect(message).toMatchObject({ problem: null, ...want });
    expect(message.head + message.text + message.tail).toBe(line);
  });
});

describe("priority (RFC 5424 section 6.2.1)", () => {
  test.each(["<192>hello", "<013>hello", "<>hello", "<1234>hello", "<-1>hello", "<abc>hello", "<34"])(
    "%s is no priority; the text survives whole",
    (line) => {
      expect(parse(line)).toMatchObject({
        facility: null,
        severity: null,
        text: line,
        problem: { code: "INVALID_PRI", offset: 1 },
      });
    },
  );
  test.each([
    ["<0>x", 0, 0],
    ["<191>x", 23, 7],
    ["<13>x", 1, 5],
  ])("%s", (line, facility, severity) => {
    expect(parse(line)).toMatchObject({ facility, severity, problem: null });
  });
});

describe("structured data (RFC 5424 section 6.3)", () => {
  const data = (sd: string) => parse(`<13>1 - - - - - ${sd}`);
  test.each([
    [
      "two elements",
      "[a][b]",
      [
        ["a", ""],
        ["b", ""],
      ],
      "",
    ],
    ["one element and a message", "[a] [b]", [["a", ""]], "[b]"],
    [
      "names repeat (6.3.3)",
      '[a x="1" x="2"]',
      [
        ["a x", "1"],
        ["a x", "2"],
      ],
      "",
    ],
    ["legal names that are traps in JavaScript", '[__proto__ constructor="1"]', [["__proto__ constructor", "1"]], ""],
    ["escapes (6.3.3)", String.raw`[a x="q\"b\\c\]d"]`, [["a x", 'q"b\\c]d']], ""],
    ["an invalid escape keeps both characters (6.3.3)", String.raw`[a x="\q"]`, [["a x", "\\q"]], ""],
    ["a value that ends in an escaped backslash", String.raw`[a x="\\"] m`, [["a x", "\\"]], "m"],
    ["the message keeps leading spaces but one", "-   three", [], "  three"],
  ])("%s", (_what, sd, want, text) => {
    expect(data(sd)).toMatchObject({ data: want, text, problem: null });
  });
  test.each([
    ["unclosed quote", '[a x="1', 21],
    ["no equals sign", "[a x]", 20],
    ["unclosed element", "[a", 18],
    ["no element at all", "oops", 16],
  ])("%s is a problem with a place; the text survives", (_what, sd, offset) => {
    const message = data(sd);
    expect(message.problem).toMatchObject({ code: "BAD_STRUCTURED_DATA", offset });
    expect(message.text).toBe(sd);
  });
});

describe("RFC 5424 headers that are broken", () => {
  test("a bad stamp is a problem; the rest is read", () => {
    expect(parse("<13>1 2003-13-11T22:14:15Z h a - - - m")).toMatchObject({
      problem: { code: "BAD_TIMESTAMP", offset: 6 },
      deviceUs: null,
      host: "h",
      app: "a",
      text: "m",
    });
  });
  test("a header cut short keeps its text whole", () => {
    expect(parse("<13>1 2003-10-11T22:14:15Z host")).toMatchObject({
      problem: { code: "BAD_HEADER" },
      text: "1 2003-10-11T22:14:15Z host",
    });
  });
});

describe("RFC 3164 as seen in practice (common practice, no source)", () => {
  test.each([
    [
      "31 December received on 1 January is last year's",
      "<13>Dec 31 23:59:58 h a: m",
      { receivedUs: civilToUs(2026, 1, 1, 0, 0, 1) },
      { deviceUs: civilToUs(2025, 12, 31, 23, 59, 58) },
    ],
    [
      "1 January received on 31 December is next year's (a clock ahead)",
      "<13>Jan  1 00:00:03 h a: m",
      { receivedUs: civilToUs(2025, 12, 31, 23, 59, 58) },
      { deviceUs: civilToUs(2026, 1, 1, 0, 0, 3) },
    ],
    [
      "29 February needs a year that has one; the rest of the line is read as ever",
      "<13>Feb 29 10:00:00 h a: m",
      { receivedUs: civilToUs(2026, 3, 1, 0, 0, 0) },
      { deviceUs: civilToUs(2028, 2, 29, 10, 0, 0), host: "h", app: "a", text: "m" },
    ],
    [
      "in November, March is next year's when heard live",
      "<38>Mar  4 05:06:07 h a: m",
      { receivedUs: civilToUs(2026, 11, 27, 0, 0, 0) },
      { deviceUs: civilToUs(2027, 3, 4, 5, 6, 7) },
    ],
    [
      "and this year's in a file",
      "<38>Mar  4 05:06:07 h a: m",
      { receivedUs: civilToUs(2026, 11, 27, 0, 0, 0), maxBehindUs: Number.POSITIVE_INFINITY },
      { deviceUs: civilToUs(2026, 3, 4, 5, 6, 7) },
    ],
    [
      "December in a file read in November is last year's",
      "<38>Dec 24 05:06:07 h a: m",
      { receivedUs: civilToUs(2026, 11, 27, 0, 0, 0), maxBehindUs: Number.POSITIVE_INFINITY },
      { deviceUs: civilToUs(2025, 12, 24, 5, 6, 7) },
    ],
    [
      "29 February in a file is the last one there was",
      "<38>Feb 29 05:06:07 h a: m",
      { receivedUs: civilToUs(2027, 11, 27, 0, 0, 0), maxBehindUs: Number.POSITIVE_INFINITY },
      { deviceUs: civilToUs(2024, 2, 29, 5, 6, 7), host: "h" },
    ],
    [
      "a clock a minute ahead in a file written just now",
      "<38>Nov 27 00:01:00 h a: m",
      { receivedUs: civilToUs(2026, 11, 27, 0, 0, 0), maxBehindUs: Number.POSITIVE_INFINITY },
      { deviceUs: civilToUs(2026, 11, 27, 0, 1, 0) },
    ],
    [
      "the sender's zone, summer time",
      "<13>Jul  1 12:00:00 h a: m",
      { receivedUs: civilToUs(2026, 7, 1, 10, 0, 1), zone: "Europe/Oslo" },
      { deviceUs: civilToUs(2026, 7, 1, 10, 0, 0) },
    ],
    [
      "a module after its program",
      "<13>Oct 11 22:14:15 h CRON(pam_unix)[5]: session opened",
      {},
      { host: "h", app: "CRON", process: "5", text: "session opened" },
    ],
    [
      "no space after the tag (section 4.1.3: it ends at the first sign that is not alphanumeric)",
      "<13>Oct 11 22:14:15 h myprog:no space",
      {},
      { host: "h", app: "myprog", process: null, text: "no space" },
    ],
    [
      "an address, a path, a URL are no tags",
      "<13>Oct 11 22:14:15 h http://x.example/a",
      {},
      { host: "h", app: null, text: "http://x.example/a" },
    ],
    [
      "a time is no tag",
      "<13>Oct 11 22:14:15 h at12:30 stopped",
      {},
      { host: "h", app: null, text: "at12:30 stopped" },
    ],
    [
      "a year after the day",
      "<13>Oct 11 2003 22:14:15 h a: m",
      {},
      { deviceUs: civilToUs(2003, 10, 11, 22, 14, 15), host: "h", app: "a" },
    ],
    [
      "a fraction",
      "<13>Oct 11 22:14:15.250 h a: m",
      {},
      { deviceUs: civilToUs(2003, 10, 11, 22, 14, 15, 250_000), coarse: false },
    ],
    [
      "an ISO stamp with zone",
      "<13>2003-10-11T22:14:15+02:00 h a[7]: m",
      {},
      { deviceUs: civilToUs(2003, 10, 11, 20, 14, 15), host: "h", app: "a", process: "7" },
    ],
    [
      "an IPv6 host: its colons end no tag",
      "<13>Oct 11 22:14:15 2001:db8::7 a: m",
      {},
      { host: "2001:db8::7", app: "a", text: "m" },
    ],
    ["no host", "<13>Oct 11 22:14:15 sshd[88]: m", {}, { host: null, app: "sshd", process: "88", text: "m" }],
    [
      "no tag",
      "<13>Oct 11 22:14:15 h just words: and more",
      {},
      { host: "h", app: null, text: "just words: and more" },
    ],
    [
      "a sequence number and an unsynchronised clock",
      "<189>46: *Oct 11 22:14:15.123: %LINK-3-UPDOWN: Interface Gi0/1, changed state to down",
      {},
      { host: null, app: "%LINK-3-UPDOWN", text: "Interface Gi0/1, changed state to down" },
    ],
  ])("%s", (_what, line, over, want) => {
    expect(parse(line, over)).toMatchObject({ problem: null, ...want });
  });
  test("Feb 30 does not roll over into March", () => {
    expect(parse("<13>Feb 30 10:00:00 h a: m")).toMatchObject({ deviceUs: null, format: "bare" });
  });
});

describe("bytes", () => {
  const decode = (bytes: readonly number[]) => decodeSyslog(Uint8Array.from(bytes), context);
  const bytesOf = (text: string) => [...new TextEncoder().encode(text)];
  test("an empty message is kept with its reason", () => {
    expect(decode([]).message.problem).toMatchObject({ code: "EMPTY" });
  });
  test("bytes that are not UTF-8 are kept beside the readable text", () => {
    const input = [...bytesOf("<13>caf"), 0xe9, ...bytesOf(" closed")];
    const { message, raw } = decode(input);
    expect(message.problem).toMatchObject({
      code: "NOT_UTF8",
      offset: 7,
      message: "text: expected UTF-8, got byte 0xe9",
    });
    expect(message.text).toBe("caf\uFFFD closed");
    expect([...raw!]).toEqual(input);
  });
  test("U+0000 becomes a visible mark and the bytes are kept", () => {
    const { message, raw } = decode([...bytesOf("<13>a"), 0, ...bytesOf("b")]);
    expect(message.text).toBe("a\u2400b");
    expect(raw).not.toBeNull();
  });
  test("line ends at the end are no text, and come back", () => {
    const { message, raw } = decode(bytesOf("<13>a: b\r\n"));
    expect(message).toMatchObject({ text: "b", tail: "\r\n" });
    expect(raw).toBeNull();
  });
});
