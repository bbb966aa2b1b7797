import fc from "fast-check";
import { parseNetwork } from "../base/net/index.js";
import { Applications, type OwnApplication } from "../model/applications/index.js";
import { OwnNames } from "../model/entity/index.js";
import { NamedLists } from "../model/lists/index.js";
import { NotificationNames } from "../model/notifications/index.js";
import {
  ACTIONS,
  CATEGORIES,
  type Count,
  FACILITIES,
  type HalvikRecord,
  KINDS,
  MARKS,
  MAX_COUNT,
  OUTCOMES,
} from "../model/record/index.js";
import { newSender, OWN_SENDER, type Sender, SenderDirectory } from "../model/senders/index.js";
import type { Comparison, Filter } from "../query/filter/index.js";
import { testRecord } from "./record.js";

/** Values that are easily got wrong: case, boundaries, wildcards, escapes, beyond ASCII, empty. */
const TEXTS = [
  "",
  "link down",
  "Link Down",
  "LINK",
  "linkdown",
  "a_b",
  "100%",
  "a*b?c",
  "back\\slash",
  'quo"te',
  "Zürich",
  "zÜrich",
  "İstanbul",
  "naïve café",
  "port 22",
  "x",
  "2",
  "vpn-1",
  "\u2400",
  "日本",
  "e\u0301",
  "tab\there",
  "line\nbreak",
  "_",
  "%",
  "ferry⛴",
  "“curly”",
  "\u202eferry",
  "🚢link🚢",
  "Tromsø TROMSØ",
  "\u212aelvin \u017fhip",
  "k.lind",
  "ORVANE\\K.Lind",
  "k.lind@orvane.example",
  "elsewhere\\k.lind",
  "dc-1",
  "DC-1.Orvane.example",
  "dc-1.orvane.example.",
  "12.5 ms",
  "-3 °C",
  "+40",
  "0.0000004",
  "200%",
  "1234567890123456",
  "10.20.4.31",
  "7.",
  "8x",
] as const;
const ADDRESSES = [
  "10.20.4.31",
  "10.20.255.255",
  "192.0.2.7",
  "203.0.113.9",
  "2001:db8::7",
  "2001:db8:ffff::1",
  "::102:304",
  "0.0.0.0",
] as const;
const DATA_NAMES = [
  "sale@32473 terminal",
  "terminal",
  "a b c",
  "__proto__ x",
  "policy",
  "x log",
  "src zone",
  "1.3.6.1.2.1.2.2.1.8.4",
  "1.3.6.1.2.1.2.2.1.80.4",
  "ifOperStatus",
  "ifOperStatus.4",
] as const;
const NETWORKS = ["10.20.0.0/16", "0.0.0.0/0", "192.0.2.7", "2001:db8::/32", "::/0", "203.0.113.9/32"] as const;

const maybe = <T>(a: fc.Arbitrary<T>): fc.Arbitrary<T | null> => fc.option(a, { nil: null, freq: 2 });
const text = fc.constantFrom(...TEXTS);
const someText = text.filter((t) => t !== "");

const sender = (
  id: number,
  name: string,
  groups: readonly string[],
  site: string | null,
  addresses: readonly string[] = [],
): Sender => newSender(id, name, { groups, site, addresses });

const own = (name: string, parts: Partial<OwnApplication>): OwnApplication => ({
  name,
  protocol: null,
  lowPort: null,
  highPort: null,
  network: null,
  ...parts,
});

/** Senders that random records and filters speak of, and names of traffic of every sort. */
export const TEST_DIRECTORY = new SenderDirectory(
  [
    sender(1, "vpn-1", ["security"], "Orvane", ["10.20.4.31", "2001:db8::7"]),
    sender(2, "SW-hestnes-2", ["network", "Shore"], "Hestnes"),
    sender(3, "gw%_1", [], null),
  ],
  new Applications(
    [
      own("port 22", { protocol: 6, lowPort: 22 }),
      own("Link", { lowPort: 5_000, highPort: 5_100, network: parseNetwork("10.20.0.0/16") }),
      own("x", { protocol: 50 }),
      own("Zürich", { network: parseNetwork("2001:db8::/32") }),
    ],
    {
      "0/tcp": ["link"],
      "22/tcp": ["ssh"],
      "53/udp": ["domain"],
      "53/tcp": ["domain"],
      "80/tcp": ["Link Down"],
      "443/tcp": ["x"],
      "8080/tcp": ["LINK"],
      "5050/udp": ["linkdown"],
      "40000/tcp": ["link"],
      "514/tcp": [""],
    },
  ),
  // of an object (RFC 2863), whose numbers are called as texts are
  new NotificationNames(
    [],
    [
      {
        name: "ifOperStatus",
        oid: "1.3.6.1.2.1.2.2.1.8",
        labels: new Map([
          [2, "Link Down"],
          [7, "x"],
        ]),
      },
    ],
  ),
  new OwnNames(["orvane.example", "ORVANE"]),
  new NamedLists([
    { name: "addresses", kind: "address", values: NETWORKS },
    // more than are looked up one by one
    { name: "many", kind: "address", values: Array.from({ length: 300 }, (_, i) => `10.20.${i >> 8}.${i & 255}`) },
    { name: "texts", kind: "text", values: TEXTS.filter((t) => t !== "") },
    { name: "many texts", kind: "text", values: ["LINK down", ...Array.from({ length: 150 }, (_, i) => `x${i}`)] },
    { name: "domains", kind: "domain", values: ["example", "orvane.example", "link down"] },
    { name: "nothing", kind: "text", values: [] },
  ]),
  // what was told apart and is one now
  new Map([
    [1, [4, 7]],
    [2, [3]],
  ]),
);

/** What stands in lists: of any field that takes them. */
const listTest: fc.Arbitrary<Comparison["test"]> = fc
  .subarray(["addresses", "many", "texts", "many texts", "domains", "nothing"], { minLength: 1, maxLength: 2 })
  .map((names) => ({ op: "list" as const, names }));

/** Counts beyond 2^53 too, next to each other. */
const count: fc.Arbitrary<Count> = fc.oneof(
  fc.integer({ min: 0, max: 2 ** 48 }),
  fc.constantFrom<Count>(9_007_199_254_740_991, 9_007_199_254_740_992n, 9_007_199_254_740_993n, MAX_COUNT),
);

/** Ports that have names, that have none, and any. */
const port = fc.oneof(
  fc.constantFrom(0, 22, 53, 80, 443, 514, 5_050, 8_080, 40_000),
  fc.integer({ min: 0, max: 65_535 }),
);
const protocol = fc.oneof(fc.constantFrom(6, 17, 50), fc.integer({ min: 0, max: 255 }));

/** Records of every kind but flows, with every field missing now and then. */
const arbitraryMessage: fc.Arbitrary<HalvikRecord> = fc
  .record({
    sender: fc.constantFrom(OWN_SENDER, 1, 2, 3),
    timeUs: fc.integer({ min: 1_700_000_000_000_000, max: 1_700_000_100_000_000 }),
    receivedUs: fc.integer({ min: 1_700_000_000_000_000, max: 1_700_000_100_000_000 }),
    kind: fc.constantFrom(...KINDS.filter((k) => k !== "flow")),
    severity: fc.constantFrom(0, 1, 2, 3, 4, 5, 6, 7),
    facility: maybe(fc.integer({ min: 0, max: 23 })),
    category: fc.constantFrom(...CATEGORIES),
    outcome: fc.constantFrom(...OUTCOMES),
    action: maybe(fc.constantFrom(...ACTIONS)),
    host: maybe(text),
    app: maybe(text),
    process: maybe(text),
    event: maybe(text),
    interface: maybe(text),
    users: fc.array(text, { maxLength: 3 }),
    src: maybe(fc.constantFrom(...ADDRESSES)),
    dst: maybe(fc.constantFrom(...ADDRESSES)),
    otherAddresses: fc.array(fc.constantFrom(...ADDRESSES), { maxLength: 2 }),
    srcPort: maybe(port),
    dstPort: maybe(port),
    protocol: maybe(protocol),
    bytes: maybe(count),
    packets: maybe(fc.integer({ min: 0, max: 2 ** 32 })),
    text: fc.array(text, { maxLength: 3 }).map((t) => t.join(" ")),
    data: fc.array(fc.tuple(fc.constantFrom(...DATA_NAMES), text), {
      maxLength: 3,
    }),
    marks: fc.subarray([...MARKS]),
    shape: maybe(fc.integer({ min: 1, max: 9 })),
    problem: maybe(fc.constant({ code: "NOT_UTF8" as const, offset: 3, message: "text" })),
  })
  .map((parts) => testRecord(parts as Partial<HalvikRecord>));

const small = fc.integer({ min: 0, max: 255 });
const index = fc.integer({ min: 0, max: 2 ** 32 - 1 });
const address = fc.constantFrom(...ADDRESSES);

/** Flows with every fact missing now and then; what no flow has is empty. */
const arbitraryFlow: fc.Arbitrary<HalvikRecord> = fc
  .record({
    sender: fc.constantFrom(1, 2, 3),
    timeUs: fc.integer({ min: 1_700_000_000_000_000, max: 1_700_000_100_000_000 }),
    receivedUs: fc.integer({ min: 1_700_000_000_000_000, max: 1_700_000_100_000_000 }),
    outcome: fc.constantFrom(...OUTCOMES),
    action: maybe(fc.constantFrom(...ACTIONS)),
    src: maybe(address),
    dst: maybe(address),
    srcPort: maybe(port),
    dstPort: maybe(port),
    protocol: maybe(protocol),
    bytes: maybe(count),
    packets: maybe(fc.integer({ min: 0, max: 2 ** 32 })),
    data: fc.array(fc.tuple(fc.constantFrom(...DATA_NAMES), text), { maxLength: 2 }),
    marks: fc.subarray(MARKS.filter((m) => m !== "copy")),
    flow: fc.record({
      startUs: maybe(fc.integer({ min: 1_700_000_000_000_000, max: 1_700_000_100_000_000 })),
      ingress: maybe(index),
      egress: maybe(index),
      tos: maybe(small),
      tcpFlags: maybe(small),
      icmp: maybe(fc.integer({ min: 0, max: 65_535 })),
      srcAs: maybe(index),
      dstAs: maybe(index),
      srcMask: maybe(fc.integer({ min: 0, max: 128 })),
      dstMask: maybe(fc.integer({ min: 0, max: 128 })),
      nextHop: maybe(address),
      vlan: maybe(fc.integer({ min: 0, max: 4_095 })),
      direction: maybe(fc.constantFrom(0, 1)),
      application: maybe(text),
      reverseBytes: maybe(fc.integer({ min: 0, max: 2 ** 48 })),
      reversePackets: maybe(fc.integer({ min: 0, max: 2 ** 32 })),
      samplingRate: fc.constantFrom(1, 64, 4_000),
      domain: index,
      sequence: index,
    }),
  })
  .map((parts) => testRecord({ ...parts, kind: "flow", category: "traffic", severity: 6 } as Partial<HalvikRecord>));

/** Records of every kind. */
export const arbitraryRecord: fc.Arbitrary<HalvikRecord> = fc.oneof(
  { arbitrary: arbitraryMessage, weight: 3 },
  { arbitrary: arbitraryFlow, weight: 1 },
);

const span = { start: 0, end: 0 };
const compare = (
  field: Comparison["field"],
  test: Comparison["test"],
  negated: boolean,
  dataName?: string,
): Filter => ({ type: "compare", field, test, negated, span, ...(dataName === undefined ? {} : { dataName }) });

const textTest: fc.Arbitrary<Comparison["test"]> = fc.oneof(
  fc.array(text, { minLength: 1, maxLength: 3 }).map((values) => ({ op: "oneOf" as const, values })),
  text.map((value) => ({ op: "oneOf" as const, values: [value], exactly: true as const })),
  fc.record({
    op: fc.constant("has" as const),
    mode: fc.constantFrom("word" as const, "prefix" as const, "part" as const, "phrase" as const),
    value: fc.oneof(someText, fc.constantFrom("link", "LINK", "own", "z", "ü", "*", "%", "é", "ferry", "curly", "k")),
  }),
  fc.record({
    op: fc.constant("like" as const),
    pattern: fc.oneof(text, fc.constantFrom("*", "link*", "*DOWN*", "?", "??nk*", "*%*", "a\\*b", "*é", "日?", "*_*")),
  }),
  fc.record({
    op: fc.constant("matches" as const),
    source: fc.constantFrom(
      "link",
      "^LINK",
      "(a|b)+$",
      "\\d{2,}",
      ".",
      "^$",
      "é",
      "(?i)Tromsø",
      "k",
      "s[H-I]",
      "(port|line).",
      "[^A-Z]ink",
      "fer(ry|rie)",
    ),
  }),
  fc.constant({ op: "present" as const }),
);
const rangeTest = (values: fc.Arbitrary<Count>): fc.Arbitrary<Comparison["test"]> =>
  fc.oneof(
    fc
      .array(fc.tuple(values, values), { minLength: 1, maxLength: 2 })
      .map((ranges) => ({ op: "ranges" as const, ranges })),
    values.map((v) => ({ op: "ranges" as const, ranges: [[v, Number.POSITIVE_INFINITY] as const] })),
    values.map((v) => ({ op: "ranges" as const, ranges: [[Number.NEGATIVE_INFINITY, v] as const] })),
  );
const amountTest = fc
  .tuple(fc.constantFrom(-4, -3, 0, 8, 12.5, 40, 199.9), fc.boolean(), fc.boolean(), fc.boolean())
  .map(([n, isLow, withFrom, withTo]) => ({
    op: "amount" as const,
    from: isLow ? n : Number.NEGATIVE_INFINITY,
    to: isLow && withTo ? Number.POSITIVE_INFINITY : 60,
    withFrom,
    withTo,
  }));
const numberTest = (values: fc.Arbitrary<Count>) =>
  fc.oneof(rangeTest(values), fc.constant({ op: "present" as const }));
const choice = (values: readonly string[], canMiss: boolean): fc.Arbitrary<Comparison["test"]> => {
  const oneOf = fc
    .subarray([...values], { minLength: 1, maxLength: 3 })
    .map((v) => ({ op: "oneOf" as const, values: v }));
  return canMiss ? fc.oneof(oneOf, fc.constant({ op: "present" as const })) : oneOf;
};
const negated = fc.boolean();
const of = (field: Comparison["field"], test: fc.Arbitrary<Comparison["test"]>) =>
  fc.tuple(test, negated).map(([t, n]) => compare(field, t, n));
const time = fc.integer({ min: 1_700_000_000_000_000, max: 1_700_000_100_000_000 });

const arbitraryComparison: fc.Arbitrary<Filter> = fc.oneof(
  ...(
    [
      "text",
      "host",
      "app",
      "user",
      "interface",
      "process",
      "event",
      "problem",
      "policy",
      "log",
      "src zone",
      "dst zone",
      "level",
      "application",
    ] as const
  ).map((f) => of(f, textTest)),
  ...(["text", "host", "user", "event", "log", "application", "src", "dst", "address"] as const).map((f) =>
    of(f, listTest),
  ),
  fc
    .tuple(
      fc.oneof(textTest, listTest, amountTest),
      negated,
      fc.constantFrom("terminal", "sale@32473 terminal", "x", "c", "", "ifOperStatus", "ifOperStatus.4"),
    )
    .map(([t, n, name]) => compare("data", t, n, name)),
  ...(["src", "dst", "address"] as const).map((f) =>
    of(
      f,
      fc.oneof(
        fc
          .subarray([...NETWORKS], { minLength: 1 })
          .map((n) => ({ op: "networks" as const, networks: n.map((x) => parseNetwork(x)!) })),
        fc.constant({ op: "present" as const }),
      ),
    ),
  ),
  ...(["src port", "dst port", "port"] as const).map((f) => of(f, numberTest(fc.integer({ min: 0, max: 65_535 })))),
  ...(["ingress", "egress", "src as", "dst as"] as const).map((f) => of(f, numberTest(index))),
  of("shape", numberTest(fc.integer({ min: 1, max: 9 }))),
  of("dscp", numberTest(fc.integer({ min: 0, max: 63 }))),
  of("tcp flags", numberTest(small)),
  of("protocol", numberTest(fc.integer({ min: 0, max: 255 }))),
  of("bytes", numberTest(count)),
  of("packets", numberTest(fc.integer({ min: 0, max: 2 ** 32 }))),
  of(
    "time",
    fc.oneof(
      rangeTest(time),
      fc.integer({ min: 0, max: 100_000_000 }).map((us) => ({ op: "last" as const, us })),
    ),
  ),
  of("arrival", rangeTest(time)),
  of(
    "severity",
    fc
      .subarray([0, 1, 2, 3, 4, 5, 6, 7] as const, { minLength: 1 })
      .map((values) => ({ op: "severity" as const, values: values as unknown as readonly (0 | 1)[] })),
  ),
  of("kind", choice(KINDS, true)),
  of("facility", choice(FACILITIES, true)),
  of("category", choice(CATEGORIES, true)),
  of("outcome", choice(OUTCOMES, true)),
  of("action", choice(ACTIONS, true)),
  of("mark", choice(MARKS, true)),
  of(
    "sender",
    fc.oneof(
      fc
        .subarray(["VPN-1", "sw-hestnes-2", "halvik", "nobody"], { minLength: 1 })
        .map((values) => ({ op: "oneOf" as const, values })),
      fc.constantFrom("sw-*", "*_?", "*").map((pattern) => ({ op: "like" as const, pattern })),
      fc.constantFrom("shore", "security").map((g) => ({ op: "group" as const, names: [g] })),
      fc.constantFrom("hestnes").map((s) => ({ op: "site" as const, names: [s] })),
      fc.constantFrom("10.20.4.31", "2001:db8::7").map((address) => ({ op: "oneOf" as const, values: [address] })),
      fc
        .subarray([...NETWORKS], { minLength: 1 })
        .map((n) => ({ op: "networks" as const, networks: n.map((x) => parseNetwork(x)!) })),
    ),
  ),
);

/** Random filter trees over every field and comparator. */
export const arbitraryFilter: fc.Arbitrary<Filter> = fc.letrec<{ filter: Filter }>((tie) => ({
  filter: fc.oneof(
    { maxDepth: 4, depthSize: "small", withCrossShrink: true },
    arbitraryComparison,
    fc
      .tuple(fc.constantFrom("and" as const, "or" as const), fc.array(tie("filter"), { minLength: 2, maxLength: 3 }))
      .map(([type, items]) => ({ type, items, span })),
    tie("filter").map((item) => ({ type: "not" as const, item, span })),
  ),
})).filter;
