import { compileFilter, parseFilter, readFilter } from "../../query/filter/index.js";
import { LINEAR_AT_MOST, timeForItsSize } from "../../testing/node/linear-time.js";
import { testRecord as record } from "../../testing/record.js";
import { SenderDirectory } from "../senders/index.js";
import { NamedLists, readListValue, readStixBundle } from "./index.js";

const LISTS = new NamedLists([
  {
    name: "known scanners",
    kind: "address",
    values: ["198.51.100.7", "203.0.113.0/24", "2001:db8::1", "2001:db8:5::/48"],
  },
  { name: "ours", kind: "domain", values: ["orvane.example"] },
  { name: "leavers", kind: "text", values: ["P.Berg", "s.holm"] },
  { name: "nothing", kind: "text", values: [] },
]);
const directory = new SenderDirectory([], undefined, undefined, undefined, LISTS);
const parse = (text: string) => parseFilter(text, { zone: "UTC", directory });
const matches = (text: string, r: object) => {
  const parsed = parse(text);
  if (!parsed.ok) throw new Error(parsed.error.message);
  return compileFilter(parsed.filter, { directory, nowUs: 0 })(record(r));
};

describe("a list in a filter", () => {
  test.each([
    ['src in list "known scanners"', { src: "198.51.100.7" }, true],
    ['src in list "known scanners"', { src: "203.0.113.200" }, true],
    ['src in list "known scanners"', { src: "203.0.114.1" }, false],
    ['src in list "Known Scanners"', { src: "2001:db8::1" }, true],
    ['address in list "known scanners"', { dst: "2001:db8:5:9::3" }, true],
    ['src not in list "known scanners"', { src: "203.0.114.1" }, true],
    ['src not in list "known scanners"', { src: null }, true],
    ['user in list "leavers"', { users: ["k.lind", "p.berg"] }, true],
    ['user in list "leavers", "nothing"', { users: ["k.lind"] }, false],
    ['user in list "nothing"', { users: ["k.lind"] }, false],
    ['host in list "ours"', { host: "dc-1.ORVANE.example" }, true],
    ['host in list "ours"', { host: "orvane.example" }, true],
    ['host in list "ours"', { host: "notorvane.example" }, false],
    ['host in list "ours"', { host: "orvane.example.test" }, false],
    ['data "query name" in list "ours"', { data: [["query name", "www.orvane.example"]] }, true],
    // of addresses a list of names has none
    ['src in list "leavers"', { src: "198.51.100.7" }, false],
    ["app in list, of", { app: "list" }, true],
  ] as const)("%s of %j: %s", (text, r, expected) => expect(matches(text, r)).toBe(expected));

  test("is said, and one that there is not is refused with what was meant", () => {
    const parsed = parse('src in list "known scanners"');
    expect(parsed.ok && readFilter(parsed.filter)).toBe(
      "Src in the list known scanners.".replace("Src", "Source address"),
    );
    expect(parse('src in list "known scaners"')).toMatchObject({
      ok: false,
      error: { code: "UNKNOWN_VALUE", suggestion: '"known scanners"' },
    });
  });
});

test.each([
  ["address", " 203.0.113.5 ", "203.0.113.5"],
  ["address", "::ffff:10.0.0.1", "10.0.0.1"],
  ["address", "10.20.0.0/16", "10.20.0.0/16"],
  ["address", "10.20.0.0/33", null],
  ["address", "dc-1", null],
  ["domain", "*.Orvane.example.", "orvane.example"],
  ["domain", ".orvane.example", "orvane.example"],
  ["domain", "a b", null],
  ["text", "9F86D081", "9F86D081"],
  ["text", "a\u0000b", null],
  ["text", "\ud800", null],
  ["text", "x".repeat(256), null],
  ["text", "  ", null],
] as const)("as a value of a list of %s, %j is %j", (kind, text, value) => {
  const read = readListValue(kind, text);
  expect("value" in read ? read.value : null).toBe(value);
});

describe("a bundle of STIX 2.1", () => {
  const bundle = (...objects: object[]) => ({ type: "bundle", id: "bundle--1", objects });
  const indicator = (pattern: string, over: object = {}) => ({
    type: "indicator",
    spec_version: "2.1",
    id: "indicator--8e2e2d2b-17d4-4cbf-938f-98ee46b3cd3f",
    pattern,
    pattern_type: "stix",
    valid_from: "2016-01-01T00:00:00Z",
    ...over,
  });
  const read = (pattern: string, over: object = {}) => readStixBundle(bundle(indicator(pattern, over)));
  // patterns of the standard's own examples (STIX 2.1 sections 4.7 and 9.9), from memory
  test.each([
    [
      "[ file:hashes.'SHA-256' = '4bac27393bdd9777ce02453256c5577cd02275510b2227f473d03f533924f877' ]",
      ["text 4bac27393bdd9777ce02453256c5577cd02275510b2227f473d03f533924f877"],
    ],
    [
      "[ipv4-addr:value = '198.51.100.1/32' OR ipv4-addr:value = '203.0.113.33/32' OR ipv6-addr:value = '2001:0db8:dead:beef:dead:beef:dead:0001/128']",
      ["address 198.51.100.1/32", "address 203.0.113.33/32", "address 2001:0db8:dead:beef:dead:beef:dead:0001/128"],
    ],
    [
      "[url:value = 'http://example.com/foo' OR url:value = 'http://example.com/bar']",
      ["text http://example.com/foo", "text http://example.com/bar"],
    ],
    ["[ipv4-addr:value ISSUBSET '198.51.100.0/24']", ["address 198.51.100.0/24"]],
    [
      "[domain-name:value IN ('a.example', 'b.example')] OR [domain-name:value = 'c.example']",
      ["domain a.example", "domain b.example", "domain c.example"],
    ],
    ["[user-account:user_id = 'it\\'s']", ["text it's"]],
  ])("%s is taken whole", (pattern, values) => {
    const { values: found, refused } = read(pattern);
    expect(refused).toEqual([]);
    expect(found.map((v) => `${v.kind} ${v.value}`)).toEqual(values);
  });

  test.each([
    [
      "[domain-name:value = 'www.example.com' AND domain-name:resolves_to_refs[*].value = '198.51.100.1']",
      /several things at once/,
    ],
    ["[ipv4-addr:value = '198.51.100.1'] FOLLOWEDBY [ipv4-addr:value = '198.51.100.2']", /together or in an order/],
    ["[ipv4-addr:value = '198.51.100.1'] REPEATS 5 TIMES WITHIN 300 SECONDS", /together or in an order/],
    ["[file:name MATCHES '^evil']", /which no list holds/],
    ["[domain-name:value LIKE '%.example']", /not by what is equal/],
    ["[ipv4-addr:value != '198.51.100.1']", /not by what is equal/],
    ["[url:value ISSUBSET 'x']", /subset of what are no addresses/],
    ["[ipv4-addr:value = 5]", /cannot be read|no text/],
    ["([ipv4-addr:value = '198.51.100.1'])", /single observations/],
    ["[", /asks for more|cannot/],
    ["", /single observations/],
  ])("%s is refused, not taken by halves", (pattern, why) => {
    const { values, refused } = read(pattern);
    expect(values).toEqual([]);
    expect(refused[0]!.why).toMatch(why);
  });

  test("what was revoked, is of another language or has a strange time is named; the innocent beside it is taken", () => {
    const fine = "[ipv4-addr:value = '198.51.100.9']";
    const { values, refused } = readStixBundle(
      bundle(
        indicator(fine, { revoked: true }),
        indicator("alert tcp any any", { pattern_type: "snort" }),
        indicator(fine, { valid_until: "tomorrow" }),
        { type: "indicator", id: 7 },
        { type: "relationship", id: "relationship--1" },
        { type: "ipv4-addr", id: "ipv4-addr--1", value: "198.51.100.10" },
        { type: "file", id: "file--1", hashes: { MD5: "d41d8cd98f00b204e9800998ecf8427e" } },
        indicator(fine, { valid_until: "2026-12-01T00:00:00Z" }),
      ),
    );
    expect(refused.map((r) => r.why)).toEqual([
      "it was revoked",
      "its pattern is of another language, “snort”",
      "valid_until is no time",
      expect.stringContaining("it is no indicator"),
    ]);
    expect(values.map((v) => v.value)).toEqual(["198.51.100.10", "d41d8cd98f00b204e9800998ecf8427e", "198.51.100.9"]);
    expect(values[2]!.expiresUs).toBe(Date.UTC(2026, 11, 1) * 1e3);
  });

  test.each([[{}], [{ type: "bundle" }], ["x"], [null], [{ type: "bundle", objects: [5] }]])(
    "%j is no bundle",
    (json) => expect(() => readStixBundle(json)).toThrow("no bundle of STIX 2.1"),
  );

  // of at most 20,000 characters: longer ones are refused unread
  test.each([
    ["brackets", (size: number) => "[".repeat(size)],
    ["a path without end", (size: number) => `[file:${"a.".repeat(size / 2 - 5)}`],
    ["a text without end", (size: number) => `[x:y = '${"\\\\".repeat(size / 2 - 5)}`],
    ["a text of what is escaped", (size: number) => `[x:y = '${"\\'".repeat(size / 2 - 5)}']`],
    ["spaces", (size: number) => `${" ".repeat(size - 1)}[`],
    ["spaces that end in nothing", (size: number) => `[${" ".repeat(size - 2)}!`],
    ["comparisons", (size: number) => "[a:b = 'c'] OR ".repeat(size / 20)],
  ])("a pattern made to be slow is read in the time of its length: %s", (_what, hostile) => {
    expect(timeForItsSize(600, (size) => read(hostile(size)))).toBeLessThan(LINEAR_AT_MOST);
  });
});
