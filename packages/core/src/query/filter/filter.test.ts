import fc from "fast-check";
import { RE2JS } from "re2js";
import { fold, isLike } from "../../base/text/index.js";
import { NotificationNames } from "../../model/notifications/index.js";
import type { HalvikRecord } from "../../model/record/index.js";
import { SenderDirectory } from "../../model/senders/index.js";
import { TEST_DIRECTORY } from "../../testing/filters.js";
import { effort } from "../../testing/node/effort.js";
import { LINEAR_AT_MOST, timeForItsSize } from "../../testing/node/linear-time.js";
import { testRecord } from "../../testing/record.js";
import {
  compileFilter,
  completeFilter,
  namesTime,
  parseFilter,
  readFilter,
  requiredLiterals,
  timeBounds,
  type ValuesAsked,
} from "./index.js";
import { compilePattern } from "./pattern.js";
import { hasWord } from "./words.js";

const context = { zone: "Europe/Oslo", directory: TEST_DIRECTORY };
const parse = (text: string) => {
  const parsed = parseFilter(text, context);
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
};
const matches = (text: string, record: Parameters<typeof testRecord>[0]) =>
  compileFilter(parse(text), { directory: TEST_DIRECTORY, nowUs: 1e15 })(testRecord(record));

test.each<[source: string, literals: string[][]]>([
  ["fail(ed|ure)", [["fail"], ["ed", "ure"]]],
  ["^LINK.down$", [["link"], ["down"]]],
  ["(error|failed) on (?:vpn|fw)-1", [["error", "failed"], [" on "], ["vpn", "fw"], ["-1"]]],
  ["a|b", []],
  ["(?i)abc", [["abc"]]],
  ["(?P<what>Abc)d", [["abcd"]]],
  ["ab*cd", [["cd"]]],
  ["ab+c", [["ab"]]],
  ["ab{2,3}cd", [["ab"], ["cd"]]],
  ["(?:abc)?d", []],
  ["colou?r", [["colo"]]],
  ["port \\d{2,}", [["port "]]],
  ["10\\.20\\.", [["10.20."]]],
  ["xx[a|b(]yy", [["xx"], ["yy"]]],
  ["xx[]a]yy", [["xx"], ["yy"]]],
  ["xx[[:upper:]]yy", [["xx"], ["yy"]]],
  ["xx(a(b)[)]c)yy", [["xxab"], ["cyy"]]],
  ["\\Qa.b\\E", [["a.b"]]],
  ["Zürich", [["zürich"]]],
  ["ta\\x73k", [["task"]]],
])("what every match of /%s/ holds", (source, literals) => expect(requiredLiterals(source, true)).toEqual(literals));

test.each<[string, Parameters<typeof testRecord>[0], boolean]>([
  ["user is k.lind", { users: ["ORVANE\\K.Lind"] }, true],
  ["user is ORVANE\\k.lind", { users: ["k.lind@orvane.example"] }, true],
  ["user is k.lind", { users: ["elsewhere\\k.lind"] }, false],
  ["user is not k.lind", { users: ["ORVANE\\k.lind"] }, false],
  ["user exactly k.lind", { users: ["ORVANE\\k.lind"] }, false],
  ["user exactly K.Lind", { users: ["k.lind"] }, true],
  ["host is dc-1", { host: "DC-1.Orvane.example." }, true],
  ["host in dc-2, dc-1.orvane.example", { host: "dc-1" }, true],
  ["host is dc-1", { host: "dc-1.elsewhere.example" }, false],
  ["app is dc-1", { app: "dc-1.orvane.example" }, false],
])("one thing has one name (semantics 16): %s, of %j: %s", (text, record, holds) => {
  expect(matches(text, record)).toBe(holds);
});
test("the exact form is read back, and only where there are spellings", () => {
  expect(readFilter(parse("user exactly k.lind"), String)).toBe("User is exactly k.lind.");
  expect(parseFilter("app exactly x", context)).toMatchObject({ ok: false, error: { code: "WRONG_COMPARATOR" } });
  // it is a word like any other where no field stands before it
  expect(matches("exactly", { text: "exactly so" })).toBe(true);
});

describe("patterns fold ASCII letters and nothing else (semantics 16)", () => {
  test.each<[pattern: string, text: string, want: boolean]>([
    ["Tromsø", "TROMSØ", false],
    ["Tromsø", "TROMSø", true],
    ["k", "\u212a", false],
    ["s", "\u017f", false],
    ["(?i)FAIL(ED|ure)", "failed", true],
    ["(?i:Fail)ed", "FAILED", true],
    ["[A-C]x", "bX", true],
    ["[^A-C]x", "bx", false],
    ["[^A-C]x", "dx", true],
    ["[Ø]", "ø", false],
    ["\\x41\\x{42}", "ab", true],
    ["[\\x41-\\x43]z", "cz", true],
    ["\\p{Lu}1", "a1", true],
    ["[[:upper:]]1", "A1", true],
    ["[[:^lower:]]1", "a1", true],
    ["[\\p{Lu}_]1", "b1", true],
    ["\\QA.B\\E", "a.b", true],
    ["\\QA.B\\E", "axb", false],
    ["a.b", "a\nb", true],
    ["a\\.b|c\\|d", "C|D", true],
    ["^X{2,3}$", "xx", true],
    ["[]a]b", "]b", true],
    ["[a\\]]b", "]b", true],
    ["[a-]b", "-b", true],
    ["(?P<n>A)(B)", "ab", true],
    ["(?m)^b$", "A\nB", true],
    ["a{,2}", "A{,2}", true],
    ['\\/\\"\\-', '/"-', true],
    ["日本", "日本", true],
    ["\\bferry\\b", "a FERRY b", true],
  ])("/%s/ on %j: %s", (pattern, text, want) => {
    const compiled = compilePattern(pattern, true);
    expect(compiled.ok && compiled.test(text)).toBe(want);
  });

  test("where case matters it does, unless the pattern begins with (?i)", () => {
    const on = (source: string, text: string) => {
      const compiled = compilePattern(source, false);
      return compiled.ok && compiled.test(text);
    };
    expect([on("Ab", "ab"), on("Ab", "Ab"), on("(?i)Ab", "aB"), on("(?i)ø", "Ø")]).toEqual([false, true, true, false]);
  });
  test("a flag that folded text cannot tell is refused; what is wrong is said of what was written", () => {
    expect(compilePattern("(?-i)Fail", true)).toMatchObject({
      ok: false,
      reason: expect.stringContaining("case never matters"),
    });
    for (const wrong of ["a(", "[", "a{2000}", "(?<!a)b", "*a"]) {
      const compiled = compilePattern(wrong, true);
      expect(compiled.ok).toBe(false);
      expect(compiled.ok || compiled.reason).not.toMatch(/\(\?[si]/);
    }
  });
  test("any pattern that RE2 takes: rewritten for folded text it says what the engine's own folding says of ASCII text", () => {
    const piece = fc.constantFrom(
      "a",
      "B",
      "k",
      "S",
      "[A-F]",
      "[^b-D]",
      "\\d",
      "\\w",
      ".",
      "(aB|C)",
      "(?:k|[s-u])",
      "x*",
      "Y+",
      "Z?",
      "^",
      "$",
      "\\x4b",
      "[[:alpha:]]",
      "|",
      "q{2}",
      "\\b",
    );
    fc.assert(
      fc.property(
        fc.array(piece, { minLength: 1, maxLength: 6 }),
        fc.string({ unit: fc.constantFrom(..."aAbBcCkKsSxXyYzZqQ19 _".split("")), maxLength: 12 }),
        (pieces, text) => {
          const source = pieces.join("");
          const compiled = compilePattern(source, true);
          if (!compiled.ok) return;
          const want = RE2JS.compile(source, RE2JS.DOTALL | RE2JS.CASE_INSENSITIVE).test(text);
          expect([source, text, compiled.test(text)]).toEqual([source, text, want]);
          if (want)
            for (const clause of requiredLiterals(source, true))
              expect(clause.some((l) => fold(text).includes(l))).toBe(true);
        },
      ),
      { seed: 16, numRuns: effort(1_000) },
    );
  });
});

describe("saved filters in a filter", () => {
  const saved = [
    { name: "Night jobs", text: "app is cron or app is backup" },
    { name: "noise", text: 'filter "night jobs" or severity at most debug' },
    { name: "ring", text: 'filter "round"' },
    { name: "round", text: 'filter "ring"' },
    { name: "odd", text: "sevrity is error" },
    // 2^7 of them, unless something stops it
    ...[0, 1, 2, 3, 4, 5, 6].map((n) => ({
      name: `twice${n}`,
      text: `filter "twice${n + 1}" or filter "twice${n + 1}"`,
    })),
    { name: "twice7", text: "x" },
  ];
  const read = (text: string) => parseFilter(text, { ...context, saved });
  test("stand for what they say, with and without others around them", () => {
    const parsed = read('not filter "NOISE" and host is x');
    expect(parsed.ok && readFilter(parsed.filter)).toBe(
      "None of (either (either app is cron, or app is backup), or severity debug), and host is x.",
    );
  });
  test.each([
    ['filter "night job"', "there is no saved filter “night job”", 'filter "Night jobs"'],
    ['x and filter "ring"', "saved filters lead back to themselves: ring → round → ring", null],
    ['filter "odd"', 'saved filter “odd”: there is no field "sevrity"', null],
    ['filter "twice0"', "saved filters are used more than 100 times", null],
  ])("%s: %s", (text, message, suggestion) => {
    const parsed = read(text);
    expect(parsed.ok).toBe(false);
    if (!parsed.ok) {
      expect(parsed.error.message).toContain(message.slice(0, 30));
      expect(parsed.error.suggestion).toBe(suggestion);
      expect(text.slice(parsed.error.span.start, parsed.error.span.end)).toMatch(/^filter ".*"$/);
    }
  });
  test("where there are none, they are refused: rules stand alone", () => {
    const parsed = parseFilter('filter "noise"', context);
    expect(!parsed.ok && parsed.error.message).toContain("cannot be used here");
  });
});

describe("words beside one another are all looked for", () => {
  const meaning = (text: string) => JSON.stringify(parse(text), (name, value) => (name === "span" ? undefined : value));
  test.each([
    ["k.lind failed", "k.lind and failed"],
    ["a b c", "a and b and c"],
    ['"link down" ge0/7', '"link down" and ge0/7'],
    ["a b or c d", "(a and b) or (c and d)"],
    ["(a) b", "a and b"],
    ["cron* *down*", "cron* and *down*"],
    ["a b and app is cron", "a and b and app is cron"],
    ["not (a b)", "not (a and b)"],
  ])("%s is %s", (text, spelt) => expect(meaning(text)).toBe(meaning(spelt)));

  test.each([
    "not a b",
    "failed app is cron",
    "app is cron failed",
    "(a or b) c",
    "text has a b",
    "a (b or c)",
    "a user",
  ])("%s is not taken for that: what is meant has to be said", (text) =>
    expect(parseFilter(text, { zone: "UTC" }).ok).toBe(false),
  );
});

describe("the examples of the interface document, and their readings", () => {
  test.each([
    ["", "Every record."],
    [
      'severity at least error and sender in group "Shore" and not app is "cron"',
      "Error or worse, and from the group Shore, and not app is cron.",
    ],
    ['text has "link down"', "“link down” anywhere in the text."],
    ['text like "*port * down*"', "The text like “*port * down*”."],
    ["text matches /fail(ed|ure)/", "The text matching /fail(ed|ure)/."],
    [
      "src within 10.20.0.0/16 or dst within 10.20.0.0/16",
      "Either source address within 10.20.0.0/16, or destination address within 10.20.0.0/16.",
    ],
    ["address is 192.0.2.7", "Any address is 192.0.2.7."],
    ["event is 4625, 4771", "Event is 4625 or 4771."],
    ["dst port in 1..1023", "Destination port from 1 to 1023."],
    ["bytes over 10 MB", "Bytes at least 10000001."],
    ["time last 24 h", "In the last 1 d."],
    ["user missing", "Without an user."],
    ["user is not root", "User is not root (or no user)."],
    ["severity at most notice", "Notice or milder."],
    ["cron* and not *oot*", "A word starting with “cron” in the text, and not “oot” anywhere in the text."],
    ["category is log tampering", "Category is log tampering."],
    ["a or b and c", "Either the word “a” in the text, or (the word “b” in the text, and the word “c” in the text)."],
    [
      "time between 2026-11-24T10:00 and 2026-11-24T11:00",
      "From 2026-11-24T09:00:00.000000Z to 2026-11-24T10:00:00.000000Z.",
    ],
  ])("%s", (text, reading) => expect(readFilter(parse(text))).toBe(reading.replace("an user", "an user")));
});

describe("mistakes have a place and a suggestion", () => {
  test.each([
    ["sevrity is error", "UNKNOWN_FIELD", 0, 7, "severity"],
    ["src prot is 22", "UNKNOWN_FIELD", 0, 8, "src port"],
    ["severity is eror", "UNKNOWN_VALUE", 12, 16, "error"],
    ["severity over error", "WRONG_COMPARATOR", 9, 13, "at least"],
    ["severity under 3", "WRONG_COMPARATOR", 9, 14, "at most"],
    ["severity at leest error", "EXPECTED", 9, 17, "at least"],
    ["app over 3", "WRONG_COMPARATOR", 4, 8, null],
    ["sender is vpn1", "UNKNOWN_VALUE", 10, 14, "vpn-1"],
    ["sender within 10.20.4.31", "WRONG_VALUE", 14, 24, "10.20.4.31/32"],
    ['sender in group "Securty"', "UNKNOWN_VALUE", 16, 25, "security"],
    ["src is host", "WRONG_VALUE", 7, 11, null],
    ["dst port is 70000", "WRONG_VALUE", 12, 17, null],
    ["bytes over 10 XB", "EXPECTED", 14, 16, "and XB"],
    ["dst port in 9..1", "WRONG_VALUE", 12, 16, "1..9"],
    ["user", "EXPECTED", 0, 4, '"user"'],
    ["and x", "EXPECTED", 0, 3, '"and"'],
    ["(a or b", "UNCLOSED", 0, 7, "(a or b)"],
    ["a)", "EXPECTED", 1, 2, ""],
    ['text has "open', "UNCLOSED", 9, 14, '"open"'],
    ["text matches /a(/", "BAD_PATTERN", 13, 17, null],
    ["text matches fail", "EXPECTED", 13, 17, "/fail/"],
    ["a*b", "WRONG_VALUE", 0, 3, 'text like "*a*b*"'],
    ["a\0b", "BAD_CHARACTER", 1, 2, ""],
    ['""', "WRONG_VALUE", 0, 2, ""],
    ["time last 5 weeks", "WRONG_VALUE", 10, 17, "35 d"],
    ["x".repeat(9000), "TOO_LONG", 8000, 9000, null],
    ["(".repeat(100), "TOO_LONG", 60, 61, null],
  ])("%j", (text, code, start, end, suggestion) => {
    const parsed = parseFilter(text, context);
    expect(parsed.ok ? null : { ...parsed.error, message: "" }).toMatchObject({
      code,
      span: { start, end },
      ...(suggestion === null ? {} : { suggestion }),
    });
  });
});

describe("meaning (semantics 13 to 19)", () => {
  test.each([
    ["several values: any of them", "user is root", { users: ["k.lind", "root"] }, true],
    ["`is not` is the exact negation", "user is not root", { users: ["k.lind", "root"] }, false],
    ["`is not` holds when the field is missing", "user is not root", { users: [] }, true],
    ["other comparisons are false when it is missing", "user like *", { users: [] }, false],
    ["more urgent is a lower number", "severity at least error", { severity: 2 }, true],
    ["milder is not", "severity at least error", { severity: 4 }, false],
    ["digits are severities", "severity is 3", { severity: 3 }, true],
    ["a bare word is a whole token", "cron", { text: "crond started" }, false],
    ["its case is folded, ASCII only", "CRON", { text: "a cron job" }, true],
    ["ASCII only: Ü is not ü", "zürich", { text: "ZÜRICH" }, false],
    ["a word of several tokens", "vpn-1", { text: "to vpn-1." }, true],
    ["which does not stop within a longer one", "vpn-1", { text: "to vpn-12" }, false],
    ["prefix", "cron*", { text: "crond started" }, true],
    ["part", "*ron*", { text: "acronym" }, true],
    ["like is the whole value", 'app like "ss*"', { app: "sshd" }, true],
    ["codes are exact", "event is id47", { event: "ID47" }, false],
    ["hosts fold", "host is WEB", { host: "web" }, true],
    ["kB is 1000", "bytes is 1 kB", { bytes: 1000 }, true],
    ["KiB is 1024", "bytes is 1 KiB", { bytes: 1024 }, true],
    ["sender by name", "sender is VPN-1", { sender: 1 }, true],
    ["sender by group", "sender in group network", { sender: 2 }, true],
    ["sender by one of its addresses", "sender is 10.20.4.31", { sender: 1 }, true],
    ["in any spelling", 'sender is "2001:DB8:0::7"', { sender: 1 }, true],
    ["sender within a block", "sender within 10.20.0.0/16", { sender: 1 }, true],
    ["one without an address is within none", "sender within 0.0.0.0/0", { sender: 2 }, false],
    ["nor is Halvik itself", "sender within 0.0.0.0/0, ::/0", { sender: 0 }, false],
    ["a named value by its last part", "data terminal is 3", { data: [["sale@32473 terminal", "3"]] }, true],
    ["how much a named value is", "data answered over 12", { data: [["answered", "12.5 ms"]] }, true],
    ["by a sign", "data answered <= -3", { data: [["answered", "-3 °C"]] }, true],
    ["between, its ends belong to it", "data x between 1.5 and 2", { data: [["x", "2"]] }, true],
    ["an address is no number", "data x over 1", { data: [["x", "10.20.4.31"]] }, false],
    [
      "nor is a version, nor a word",
      "data x at least 0",
      {
        data: [
          ["x", "1.2.3"],
          ["x", "many"],
        ],
      },
      false,
    ],
    [
      "a count of sixteen digits is compared as text only",
      "data x over 1",
      { data: [["x", "1234567890123456"]] },
      false,
    ],
    ["__proto__ is a name like any other", 'data "__proto__ x" is 1', { data: [["__proto__ x", "1"]] }, true],
    ["last counts back from now", "time last 1 h", { timeUs: 1e15 - 3_599e6 }, true],
    ["and binds before or", "a or b and c", { text: "a" }, true],
    ["a reserved word in quotes is text", '"and"', { text: "you and I" }, true],
  ] as const)("%s: %s", (_what, text, record, want) => expect(matches(text, record as never)).toBe(want));
});

test("patterns run in linear time (V8's own engine needs seconds for this one)", () => {
  const hostile = (size: number) => matches("text matches /(a+)+$/", { text: `${"a".repeat(size)}!` });
  expect(hostile(5_000)).toBe(false);
  expect(timeForItsSize(300, hostile)).toBeLessThan(LINEAR_AT_MOST);
});

test("fold is ASCII only", () => expect(fold("AbÜİ")).toBe("abÜİ"));

test.each([
  ["abc", "a*c", true],
  ["abc", "a?c", true],
  ["ac", "a?c", false],
  ["", "*", true],
  ["aXbXc", "a*b*c", true],
  ["ab", "ab*?", false],
  ["日本", "日?", true],
])("%j like %j: %s", (text, pattern, want) => expect(isLike(text, pattern)).toBe(want));

test.each([
  ["a b", "b", "both", true],
  ["ab", "b", "both", false],
  ["a.b", "b", "both", true],
  ["über", "ber", "both", false],
  ["e\u0301t", "e", "both", false],
  // Unicode categories: So, Pi and Pf, Cf, So with a variation selector, and letters beyond 16 bits
  ["ferry⛴", "ferry", "both", true],
  ["“curly”", "curly", "both", true],
  ["\u202eferry\u202c", "ferry", "both", true],
  ["⛴\ufe0fferry", "ferry", "both", true],
  ["🚢ferry🚢", "ferry", "both", true],
  ["𐌰ferry", "ferry", "both", false],
  ["ferry𐌰", "ferry", "both", false],
  ["a…b", "b", "both", true],
  ["1½x", "x", "both", false],
  ["aab ab", "ab", "both", true],
  ["abc", "ab", "start", true],
  ["xab", "ab", "start", false],
] as const)("hasWord(%j, %j, %s): %s", (text, word, edge, want) => expect(hasWord(text, word, edge)).toBe(want));

test("the window a filter asks for itself", () => {
  expect(timeBounds(parse("time last 1 h and x"), 1e15)).toEqual({
    fromUs: 1e15 - 3_600e6,
    toUs: Number.POSITIVE_INFINITY,
  });
  expect(timeBounds(parse("not time last 1 h"), 1e15).fromUs).toBe(Number.NEGATIVE_INFINITY);
  expect([namesTime(parse("a and (b or arrival over 2026-01-01)")), namesTime(parse("a"))]).toEqual([true, false]);
});

describe("completion", () => {
  const options = (text: string) => completeFilter(text, text.length, TEST_DIRECTORY).options.map((o) => o.text);
  test.each([
    ["", "severity"],
    ["sev", "severity"],
    ["severity ", "at least"],
    ["severity at ", "least"],
    ["severity at least ", "error"],
    ["severity at least error ", "and"],
    ["severity at least error and ", "sender"],
    ["sender is ", "vpn-1"],
    ["sender in ", "group"],
    ["sender in group ", "Shore"],
    ["src port ", "between"],
    ["kind is ", "not"],
    ["not ", "app"],
    ["category is ", '"log tampering"'],
    ["data TargetUserName ", "is"],
    ["data TargetUserName is ", "not"],
    ["data TargetUserName not ", "in"],
    ["data TargetUserName is x ", "and"],
    ["data TargetUserName is x and ", "severity"],
  ])("after %j comes %j", (text, want) => expect(options(text)).toContain(want));
  test.each<[string, ValuesAsked | null]>([
    ["host is ", { field: "host" }],
    ["data ", { field: "data" }],
    ["app is x and data Tar", { field: "data" }],
    ["data TargetUserName is ", { field: "data", name: "TargetUserName" }],
    ['not data "sale@32473 terminal" in 7, ', { field: "data", name: "sale@32473 terminal" }],
    ["data TargetUserName present ", null],
    ["app is data ", null],
  ])("after %j stand values of the store: %j", (text, want) =>
    expect(completeFilter(text, text.length, TEST_DIRECTORY).valuesOf).toEqual(want),
  );
  test("inside an open quote nothing is offered", () => expect(options('text has "li')).toEqual([]));
  test("a choice replaces what was begun", () => expect(completeFilter("x and sev", 9, TEST_DIRECTORY).from).toBe(6));
});

describe("notifications by name", () => {
  const directory = new SenderDirectory(
    [],
    undefined,
    new NotificationNames([{ name: "fanFailed", oids: ["1.3.6.1.4.1.32473.1.2", "1.3.6.1.4.1.32473.1.0.2"] }]),
  );
  const finds = (text: string, event: string, using = directory) => {
    const parsed = parseFilter(text, { zone: "UTC" });
    if (!parsed.ok) throw new Error(parsed.error.message);
    return compileFilter(parsed.filter, { directory: using, nowUs: 0 })(testRecord({ kind: "snmp", event }));
  };
  test.each([
    ["event is fanFailed", "1.3.6.1.4.1.32473.1.2", true],
    ["event is fanFailed", "1.3.6.1.4.1.32473.1.0.2", true],
    ["event is fanFailed", "1.3.6.1.4.1.32473.1.3", false],
    ["event is not fanFailed", "1.3.6.1.4.1.32473.1.2", false],
    ["event in 4625, fanFailed", "4625", true],
    // what a device itself calls its event stays findable
    ["event is fanFailed", "fanFailed", true],
  ])("%s, of %s: %s", (text, event, found) => expect(finds(text, event)).toBe(found));
  test("the generic ones are known without any module", () => {
    expect(finds("event is linkDown", "1.3.6.1.6.3.1.1.5.3", new SenderDirectory([]))).toBe(true);
  });
});

describe("values by the names of their objects", () => {
  // IF-MIB (RFC 2863): ifOperStatus, ifIndex; a private one with the same name in two modules
  const IF_ENTRY = "1.3.6.1.2.1.2.2.1";
  const directory = new SenderDirectory(
    [],
    undefined,
    new NotificationNames(
      [],
      [
        {
          name: "ifOperStatus",
          oid: `${IF_ENTRY}.8`,
          labels: new Map([
            [1, "up"],
            [2, "down"],
            [7, "lowerLayerDown"],
          ]),
        },
        { name: "ifIndex", oid: `${IF_ENTRY}.1`, labels: null },
        { name: "tide", oid: "1.3.6.1.4.1.32473.1.4", labels: null },
        { name: "tide", oid: "1.3.6.1.4.1.32473.2.9", labels: null },
      ],
    ),
  );
  const finds = (text: string, data: [string, string][]) => {
    const parsed = parseFilter(text, { zone: "UTC" });
    if (!parsed.ok) throw new Error(parsed.error.message);
    return compileFilter(parsed.filter, { directory, nowUs: 0 })(testRecord({ kind: "snmp", data }));
  };
  test.each<[string, string, string, boolean]>([
    ["data ifOperStatus is down", `${IF_ENTRY}.8.4`, "2", true],
    ["data ifOperStatus is Down", `${IF_ENTRY}.8.4`, "2", true],
    ["data ifOperStatus is 2", `${IF_ENTRY}.8.4`, "2", true],
    ["data ifOperStatus in up, lowerLayerDown", `${IF_ENTRY}.8.4`, "7", true],
    ["data ifOperStatus is up", `${IF_ENTRY}.8.4`, "2", false],
    ["data ifOperStatus is not down", `${IF_ENTRY}.8.4`, "2", false],
    ["data ifOperStatus present", `${IF_ENTRY}.8`, "1", true],
    // another object whose identifier begins with the same digits
    ["data ifOperStatus present", `${IF_ENTRY}.80.4`, "1", false],
    ['data "ifOperStatus.4" is down', `${IF_ENTRY}.8.4`, "2", true],
    ['data "ifOperStatus.4" is down', `${IF_ENTRY}.8.40`, "2", false],
    ["data ifIndex over 3", `${IF_ENTRY}.1.12`, "12", true],
    ["data ifIndex over 12", `${IF_ENTRY}.1.12`, "12", false],
    ["data tide is high", "1.3.6.1.4.1.32473.1.4.0", "high", true],
    ["data tide is high", "1.3.6.1.4.1.32473.2.9.0", "high", true],
    // what is called so by itself stays findable
    ["data tide is high", "tide", "high", true],
    ["data ifoperstatus is down", `${IF_ENTRY}.8.4`, "2", false],
  ])("%s, of %s = %s: %s", (text, name, value, found) => expect(finds(text, [[name, value]])).toBe(found));
});

test.each<[string, Partial<HalvikRecord>]>([
  ["oid is 1.3.6.1.6.3.1.1.5.3", { kind: "snmp", event: "1.3.6.1.6.3.1.1.5.3" }],
  ["oid is linkDown", { kind: "snmp", event: "1.3.6.1.6.3.1.1.5.3" }],
  ["version is v2c", { kind: "snmp", data: [["version", "v2c"]] }],
  [
    "generic is 6 and specific is 17",
    {
      kind: "snmp",
      data: [
        ["generic", "6"],
        ["specific", "17"],
      ],
    },
  ],
  ["provider is Microsoft-Windows-Security-Auditing", { kind: "windows", app: "Microsoft-Windows-Security-Auditing" }],
])("%s", (text, record) => {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  const test = compileFilter(parsed.filter, { directory: new SenderDirectory([]), nowUs: 0 });
  expect([test(testRecord(record)), test(testRecord({ kind: "snmp" }))]).toEqual([true, false]);
});

test("common words of messages are fields only where they are compared", () => {
  for (const word of ["version", "generic", "specific"]) {
    const parsed = parseFilter(`${word} mismatch`, { zone: "UTC" });
    expect(parsed).toMatchObject({ ok: true });
  }
});
