import { readFileSync } from "node:fs";
import { addCounts, type Count, contentToJson, countFromJson, type HalvikRecord } from "@halvik/core/model/record";
import { SenderDirectory } from "@halvik/core/model/senders";
import { parseFilter } from "@halvik/core/query/filter";
import { Random, roster } from "@halvik/simulator";
import fc from "fast-check";
import pg from "pg";
import { arbitraryRecord, TEST_DIRECTORY } from "../../../core/src/testing/filters.js";
import { connectionOf } from "../kernel/db/pool.js";
import { BatchWriter } from "../store/batches.js";
import { claimCollector } from "../store/collectors.js";
import { fieldValues } from "../store/field-values.js";
import { histogram } from "../store/histogram.js";
import { indexNext } from "../store/keeping/index-segments.js";
import { type MeasureOf, measureRecords } from "../store/measure-records.js";
import { formatRecordId, IdSource } from "../store/record-id.js";
import { searchRecords } from "../store/search.js";
import { TermIndex } from "../store/term-index.js";
import { valueMatrix } from "../store/value-matrix.js";
import { recount, type Shown, type World } from "./recount.js";
import { startTestInstance, type TestInstance } from "./test-database.js";

/** Longer runs set more. */
const FILTERS = Number(process.env.HALVIK_RECOUNTS ?? 50);
const NOW = 1_700_000_100_000_000;

let instance: TestInstance;
let client: pg.Client;
/** Every record with how it is shown. */
const all: { readonly id: string; readonly timeUs: number; readonly shown: Shown }[] = [];

beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  let seed = 100;
  const store = async (name: string, kind: "live" | "import", job: number | null, count: number) => {
    const claim = await claimCollector(client, name, kind);
    const ids = new IdSource(claim.number, claim.lastIdUs);
    const writer = new BatchWriter(client, claim.number, job);
    const contents = fc.sample(arbitraryRecord, { seed: seed++, numRuns: count });
    const records = contents.map((content) => ({
      id: ids.next(NOW),
      sender: content.sender,
      endpoint: "t",
      copyOf: null,
      shape: content.shape === null ? null : { id: content.shape },
      content,
    }));
    await writer.commit({ number: claim.lastBatch + 1, records, throughUs: 0, runRules: false }, NOW);
    for (const r of records) {
      const record: HalvikRecord = {
        ...r.content,
        id: formatRecordId(r.id),
        sender: r.sender,
        endpoint: "t",
        copyOf: null,
      };
      const application = TEST_DIRECTORY.applications.application(record);
      all.push({
        id: record.id,
        timeUs: record.timeUs,
        shown: {
          ...contentToJson(record),
          sender: { name: TEST_DIRECTORY.name(r.sender) },
          ...(application === null ? {} : { application }),
        },
      });
    }
    if (job !== null) await writer.close();
  };
  // closed and in terms, open with some of it in terms, and what nobody has looked at yet: all over the same time
  await store("import-1", "import", 1, 300);
  await store("one", "live", null, 300);
  while (await indexNext(client, 100)) {}
  await store("two", "live", null, 250);
  await store("one-more", "live", null, 250);
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

const WORLD: World = {
  senders: new Map(TEST_DIRECTORY.senders.map((s) => [s.name, { groups: s.groups, site: s.site }])),
  nowUs: BigInt(NOW),
  patterns: new Map(
    (
      [
        ["link", /link/, /link/],
        ["^LINK", /^link/, /^LINK/],
        ["(up|down)$", /(up|down)$/, /(up|down)$/],
        ["fail(ed|ure)", /fail(ed|ure)/, /fail(ed|ure)/],
        ["port.22", /port[\s\S]22/, /port[\s\S]22/],
        ["Tromsø", /tromsø/, /Tromsø/],
        ["\\d{2,}", /[0-9]{2,}/, /[0-9]{2,}/],
        ["(?i)l[I-N]nk", /l[i-n]nk/, /[Ll][I-Ni-n][Nn][Kk]/],
        ["ferry|curly", /ferry|curly/, /ferry|curly/],
        ["^$", /^$/, /^$/],
        ["k", /k/, /k/],
      ] as const
    ).map(([source, folded, exact]) => [source, { folded, exact }]),
  ),
};
const r = new Random(29, "recount");
const pick = <T>(...of: readonly T[]): T => of[r.int(0, of.length - 1)]!;
const quoted = (text: string) => `"${text.replace(/["\\]/g, "\\$&")}"`;
const TEXTS = [
  "link",
  "Link Down",
  "LINK",
  "down",
  "port 22",
  "vpn-1",
  "Zürich",
  "zÜrich",
  "a_b",
  "100%",
  "a*b?c",
  "x",
  "ferry",
  "curly",
  "İstanbul",
  "e\u0301",
  "日本",
  "back\\slash",
  'quo"te',
  "line\nbreak",
  "_",
  "Tromsø",
  "nobody",
];
const text = () => pick(...TEXTS);
const word = () => pick("link", "LINK", "down", "vpn-1", "ferry", "curly", "x", "Zürich", "port", "22", "k", "nobody");
const MIX: Readonly<Record<string, string>> = { and: "AND", or: "Or", not: "NOT", is: "IS", has: "Has", in: "IN" };
const spelt = (w: string) => (r.int(0, 9) === 0 ? (MIX[w] ?? w) : w);
const number = (...of: readonly string[]) => pick(...of);

/** A comparison as people may write it. */
function comparison(): string {
  const texts = pick(
    "host",
    "app",
    "user",
    "interface",
    "policy",
    "log",
    "src zone",
    "application",
    'data "terminal"',
    'data "a b c"',
    "message",
    "hostname",
    "data c",
  );
  const exact = pick("process", "event");
  switch (r.int(0, 15)) {
    case 0:
      return word();
    case 1:
      return pick(`${word()}*`, `*${pick("in", "ow", "err")}*`, quoted(text()), `“${pick("link down", "port 22")}”`);
    case 2:
      return `text ${spelt("has")} ${pick(word(), quoted(text()), `${word()}*`)}`;
    case 3:
      return `${pick(texts, exact, "text")} ${pick("matches", "matches")} /${pick(...WORLD.patterns.keys())}/`;
    case 4:
      return `${pick(texts, exact, "text")} like ${quoted(pick("*link*", "l?nk", "*", "*o*n", "??", text()))}`;
    case 5:
      return `${texts} ${spelt("is")} ${spelt("not")} ${quoted(text())}`;
    case 6:
      return `${pick(texts, exact)} is ${pick("link", "x", "LINK")} ${spelt("or")} ${pick("x", "linkdown")}`;
    case 7:
      return `${pick(texts, exact)} in (${quoted(text())}, ${quoted(text())})`;
    case 8:
      return `${pick(texts, exact, "action", "facility", "src", "bytes", "port", "text", "application", "mark")} ${pick("present", "missing", "is missing", "is not missing", "is present")}`;
    case 9:
      return `${pick("src", "dst", "address", "ip")} ${pick("is 10.20.4.31", "within 10.20.0.0/16", "is not 192.0.2.7", "in 2001:db8::/32, 203.0.113.9", "within ::/0", "is 2001:db8::7 or 0.0.0.0")}`;
    case 10: {
      const field = pick("src port", "dst port", "port");
      return pick(
        `${field} is ${number("22", "ssh", "https", "0")}`,
        `${field} in 22, 50..9000`,
        `${field} >= 8080`,
        `${field}<${number("53", "dns")}`,
        `${field} != 443`,
        `${field} between 80 and 514`,
        `${field} is 22 or 53`,
      );
    }
    case 11:
      return pick(
        "bytes over 1 kB",
        "bytes > 9007199254740991",
        "bytes = 9007199254740993",
        "bytes at least 9007199254740992",
        "bytes under 1.5 MiB",
        "packets <= 1000000",
        "packets over 2.5",
        "bytes is not 9223372036854775807",
        "protocol is tcp",
        "protocol in udp, 50",
        "dscp is ef",
        "dscp at most cs3",
        "tcp flags under 16",
        "ingress over 2147483647",
        "src as present",
        "egress missing",
      );
    case 12:
      return pick(
        "severity at least error",
        "severity at most notice",
        "severity is 3 or warning",
        "severity is not debug",
        "severity in error, 0",
      );
    case 13:
      return pick(
        "kind is flow",
        "kind is not syslog",
        "kind in firewall, windows",
        "category is log tampering",
        "category is logon or link",
        "outcome is failure",
        "action is deny",
        "facility is cron",
        "mark is late",
        "mark in imported, held",
        "level is error",
        "problem is NOT_UTF8",
      );
    case 14:
      return pick(
        "sender is VPN-1",
        'sender is not "gw%_1"',
        "sender in group shore",
        "sender not in group security",
        "sender in site Hestnes",
        "sender like *-*",
        "sender is halvik or vpn-1",
      );
    default:
      return pick(
        "time last 60 s",
        "time last 1 min",
        "time at least 2023-11-14T22:14:00Z",
        "time < 2023-11-14T22:14Z",
        "time is 2023-11-14T22:14Z",
        "time between 2023-11-14T22:13:30Z and 2023-11-14T22:14:10Z",
        "arrival >= 2023-11-14T22:14:20Z",
        "arrival != 2023-11-14T22:14Z",
        "not time last 30 s",
      );
  }
}

function filterText(depth: number): string {
  if (depth === 0 || r.int(0, 2) === 0) return comparison();
  switch (r.int(0, 3)) {
    case 0:
      return `${spelt("not")} (${filterText(depth - 1)})`;
    case 1:
      return `(${filterText(depth - 1)}) ${spelt("or")} (${filterText(depth - 1)})`;
    default:
      return `(${filterText(depth - 1)}) ${spelt("and")} ${spelt("not")} (${filterText(depth - 1)})`;
  }
}

test(`${FILTERS} filters over closed, open and mixed segments: pages, counts, histograms and values as another evaluator has them`, async () => {
  let matched = 0;
  for (let n = 0; n < FILTERS; n++) {
    const written = filterText(r.int(0, 2));
    const parsed = parseFilter(written, { zone: "UTC", directory: TEST_DIRECTORY });
    if (!parsed.ok) throw new Error(`${written}: ${parsed.error.message}`);
    const window = pick({ fromUs: 0, toUs: 4e15 }, { fromUs: 1_700_000_020_000_000, toUs: 1_700_000_070_000_000 });
    const says = recount(written, WORLD);
    const want = all.filter((a) => a.timeUs >= window.fromUs && a.timeUs < window.toUs && says(a.shown));
    matched += want.length;
    const scope = {
      filter: parsed.filter,
      ...window,
      directory: TEST_DIRECTORY,
      nowUs: NOW,
      budgetMs: 60_000,
      terms: new TermIndex(),
    };
    const direction = pick("older" as const, "newer" as const);
    const got: string[] = [];
    for (let cursor = null, page = null; page === null || cursor !== null; ) {
      page = await searchRecords(client, { ...scope, limit: pick(7, 90, 1_000), cursor, direction });
      got.push(...page.records.map((x) => x.id));
      cursor = page.next;
    }
    const sign = direction === "older" ? -1 : 1;
    const inOrder = [...want].sort(
      (a, b) => sign * (a.timeUs - b.timeUs || a.id.length - b.id.length || (a.id < b.id ? -1 : 1)),
    );
    expect({ written, ids: got }).toEqual({ written, ids: inOrder.map((w) => w.id) });
    const counts = await histogram(client, scope, 60e6);
    const buckets = new Map<number, [number, number]>();
    for (const { timeUs, shown } of want) {
      const at = Math.floor(timeUs / 60e6) * 60e6;
      const [count, errors] = buckets.get(at) ?? [0, 0];
      const isError = ["emergency", "alert", "critical", "error"].includes(shown.severity as string);
      buckets.set(at, [count + 1, errors + (isError ? 1 : 0)]);
    }
    expect({ written, counts: counts.buckets.map((b) => [b.fromUs, [b.count, b.errors]]) }).toEqual({
      written,
      counts: [...buckets].sort((a, b) => a[0] - b[0]),
    });
    const field = pick(
      "application" as const,
      "host" as const,
      "severity" as const,
      "user" as const,
      "protocol" as const,
      "kind" as const,
    );
    const values = await fieldValues(client, scope, { field }, 10_000);
    const tally = new Map<string, number>();
    for (const { shown } of want)
      for (const v of new Set(valuesOf(field, shown))) tally.set(v, (tally.get(v) ?? 0) + 1);
    expect({ written, field, values: Object.fromEntries(values.values.map((v) => [v.value, v.count])) }).toEqual({
      written,
      field,
      values: Object.fromEntries(tally),
    });
    expect({ written, records: values.records }).toEqual({ written, records: want.length });
    for (const { value, written: seen } of values.values)
      if (seen !== undefined) expect({ field, value: folded(seen) }).toEqual({ field, value });

    // the same values by what they carry, and with those of another field
    const by = pick("bytes" as const, "packets" as const);
    const sums = new Map<string, Count>();
    for (const { shown } of want)
      for (const v of new Set(valuesOf(field, shown)))
        sums.set(v, addCounts(sums.get(v) ?? 0, countFromJson((shown[by] as number | string | undefined) ?? 0)));
    const measured = await fieldValues(client, scope, { field }, 10_000, { by });
    expect({ written, field, by, sums: new Map(measured.values.map((v) => [v.value, v.amount])) }).toEqual({
      written,
      field,
      by,
      sums,
    });
    const other = pick("application" as const, "host" as const, "severity" as const, "user" as const);
    const pairs = new Map<string, Map<string, number>>();
    for (const { shown } of want)
      for (const v of new Set(valuesOf(field, shown)))
        for (const w of new Set(valuesOf(other, shown))) {
          const ofValue = pairs.get(v) ?? new Map<string, number>();
          pairs.set(v, ofValue.set(w, (ofValue.get(w) ?? 0) + 1));
        }
    const apart = await fieldValues(client, scope, { field }, 10_000, { by: "distinct", of: other });
    expect({ written, field, other, apart: new Map(apart.values.map((v) => [v.value, v.amount])) }).toEqual({
      written,
      field,
      other,
      apart: new Map([...tally.keys()].map((v) => [v, pairs.get(v)?.size ?? 0])),
    });
    const matrix = await valueMatrix(client, scope, {
      rows: { field },
      columns: { field: other },
      topRows: 10_000,
      topColumns: 10_000,
      by: "records",
    });
    const cells = matrix.rows.flatMap((r, i) =>
      matrix.columns.map((c, j) => [`${r.value} × ${c.value}`, matrix.cells[i]![j]!] as const),
    );
    expect({ written, field, other, cells: new Map(cells.filter(([, n]) => n !== 0)) }).toEqual({
      written,
      field,
      other,
      cells: new Map([...pairs].flatMap(([v, of]) => [...of].map(([w, n]) => [`${v} × ${w}`, n]))),
    });
  }
  // a recount of nothing proves nothing
  expect(matched).toBeGreaterThan(FILTERS * 20);
}, 3_600_000);

/** The clock of a zone as the platform has it. */
const clocks = new Map(
  ["UTC", "Europe/Oslo", "Asia/Kathmandu"].map((zone) => [
    zone,
    new Intl.DateTimeFormat("en-GB", { timeZone: zone, hour: "2-digit", weekday: "short", hourCycle: "h23" }),
  ]),
);
const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const clockOf = (zone: string, timeUs: number, part: "hour" | "weekday"): string => {
  const parts = clocks.get(zone)!.formatToParts(new Date(timeUs / 1_000));
  const text = parts.find((p) => p.type === part)!.value;
  return part === "hour" ? text : String(DAYS.indexOf(text));
};

test("measures: by two groupings, over steps, from rollups and from records, as counted by hand", async () => {
  const sources = new Set<string>();
  const rolledUp = ["", "severity at least error", "kind is syslog or kind is flow", "not sender in site Hestnes"];
  for (let n = 0; n < FILTERS; n++) {
    const written = n % 2 === 0 ? pick(...rolledUp) : filterText(r.int(0, 1));
    const parsed = parseFilter(written, { zone: "UTC", directory: TEST_DIRECTORY });
    if (!parsed.ok) throw new Error(`${written}: ${parsed.error.message}`);
    const zone = pick("UTC", "Europe/Oslo", "Asia/Kathmandu");
    const [fromUs, toUs] = pick<readonly [number, number]>(
      [1_699_999_200_000_000, 1_700_002_800_000_000],
      [1_700_000_013_456_789, 1_700_000_091_234_567],
    );
    const steps = pick(null, [fromUs, 1_700_000_040_000_000, 1_700_000_060_000_000, toUs]);
    const field = (name: string) => ({
      asked: { field: name },
      of: (a: (typeof all)[number]) => [...new Set(valuesOf(name, a.shown))],
    });
    const senders = new Map(TEST_DIRECTORY.senders.map((s) => [s.name, s]));
    const groupings = [
      field("kind"),
      field("severity"),
      field("user"),
      field("host"),
      {
        asked: { sender: "site" as const },
        of: (a: (typeof all)[number]) => senders.get((a.shown.sender as { name: string }).name)?.site ?? [],
      },
      { asked: { clock: "hour of day" as const }, of: (a: (typeof all)[number]) => clockOf(zone, a.timeUs, "hour") },
      { asked: { clock: "day of week" as const }, of: (a: (typeof all)[number]) => clockOf(zone, a.timeUs, "weekday") },
    ];
    const first = r.int(0, groupings.length - 1);
    const by = [groupings[first]!, groupings[(first + r.int(1, groupings.length - 1)) % groupings.length]!];
    const used = by.slice(0, r.int(0, 2));
    const figure = pick<MeasureOf["figure"]>(
      { of: "records" },
      { of: "records" },
      { of: "sum", number: { field: "bytes" } },
      { of: "p95", number: { field: "packets" } },
      { of: "distinct", values: { field: "host" } },
    );
    const got = await measureRecords(
      client,
      {
        filter: parsed.filter,
        fromUs,
        toUs,
        directory: TEST_DIRECTORY,
        nowUs: NOW,
        budgetMs: 60_000,
        terms: new TermIndex(),
      },
      { figure, by: used.map((u) => u.asked), steps, zone },
    );
    sources.add(got.source);
    const says = recount(written, WORLD);
    const want = all.filter((a) => a.timeUs >= fromUs && a.timeUs < toUs && says(a.shown));
    const rows = new Map<string, typeof want>();
    for (const a of want) {
      const [one, two] = used.map((u) => [u.of(a)].flat());
      for (const x of one ?? [])
        for (const y of two ?? [null]) {
          const name = y === null ? x : `${x} × ${y}`;
          rows.set(name, [...(rows.get(name) ?? []), a]);
        }
    }
    const value = (list: typeof want) => valueOfFigure(figure, list);
    const said = { written, figure, used: used.map((u) => u.asked), steps, zone, source: got.source };
    expect({ ...said, total: got.total.value, complete: got.complete }).toEqual({
      ...said,
      total: value(want),
      complete: true,
    });
    expect({ ...said, rows: new Map(got.rows.map((x) => [x.keys.join(" × "), x.value])) }).toEqual({
      ...said,
      rows: new Map([...rows].map(([name, list]) => [name, value(list)])),
    });
    if (steps !== null)
      for (const [i, at] of steps.slice(0, -1).entries()) {
        const within = want.filter((a) => a.timeUs >= at && a.timeUs < steps[i + 1]!);
        expect({ ...said, i, step: got.total.steps[i] }).toEqual({
          ...said,
          i,
          step: within.length === 0 ? null : value(within),
        });
      }
  }
  expect(sources).toEqual(new Set(["rollups", "records"]));
}, 3_600_000);

/** What the figure is of some records, by other code than the product's. */
function valueOfFigure(figure: MeasureOf["figure"], list: typeof all): Count | null {
  if (figure.of === "records") return list.length;
  if (figure.of === "distinct") return new Set(list.flatMap((a) => valuesOf("host", a.shown))).size;
  const { field } = (figure as { number: { field: "bytes" | "packets" } }).number;
  const numbers = list.flatMap((a) =>
    a.shown[field] === undefined ? [] : [BigInt(a.shown[field] as number | string)],
  );
  if (numbers.length === 0) return null;
  if (figure.of === "sum") return numbers.map(countOf).reduce(addCounts, 0);
  const sorted = numbers.sort((x, y) => (x < y ? -1 : x > y ? 1 : 0));
  return Number(sorted[Math.ceil(0.95 * sorted.length) - 1]);
}
const countOf = (n: bigint): Count => countFromJson(n.toString().length < 16 ? Number(n) : n.toString());

const LEVELS = ["emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug"];
const folded = (v: unknown) => String(v).replace(/[A-Z]/g, (c) => c.toLowerCase());
function valuesOf(field: string, shown: Shown): string[] {
  if (field === "severity") return [String(LEVELS.indexOf(shown.severity as string))];
  if (field === "user") return ((shown.users ?? []) as string[]).map(folded);
  if (field === "protocol" || field === "kind") return shown[field] === undefined ? [] : [String(shown[field])];
  return shown[field] === undefined ? [] : [folded(shown[field])];
}

describe("the examples of the document", () => {
  const examples = [...readFileSync("docs/filter-language.md", "utf8").matchAll(/```filter\n([^`]*)\n```/g)].map(
    (m) => m[1]!,
  );
  test("are there", () => expect(examples.length).toBeGreaterThan(8));
  test.each(examples)("%s is understood among the senders of the demo", (written) => {
    expect(parseFilter(written, { zone: "UTC", directory: new SenderDirectory(roster()) })).toMatchObject({ ok: true });
  });
});
