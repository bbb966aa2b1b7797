import { FIELDS, type HalvikRecord } from "@halvik/core/model/record";
import { syslogRecord } from "@halvik/core/normalise";
import { compileFilter, type Filter, parseFilter } from "@halvik/core/query/filter";
import fc from "fast-check";
import pg from "pg";
import { arbitraryFilter, arbitraryRecord, TEST_DIRECTORY } from "../../../core/src/testing/filters.js";
import { effort } from "../../../core/src/testing/node/effort.js";
import { removeImport } from "../domains/intake/imports/remove-import.js";
import { connectionOf } from "../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";
import { BatchWriter, idsOfBatches } from "./batches.js";
import { claimCollector } from "./collectors.js";
import { filterToSql, Params } from "./filter-sql.js";
import { allInIdRange, findRecord, recordsInIdRange } from "./find-records.js";
import { histogram } from "./histogram.js";
import { indexNext } from "./keeping/index-segments.js";
import type { StoredContent } from "./record-columns.js";
import { formatRecordId, IdSource, LAST_ID } from "./record-id.js";
import { type Reader, rowsBetween } from "./record-rows.js";
import { searchRecords } from "./search.js";
import { closeSegment } from "./segment-life.js";
import { segmentsWithIds } from "./segments.js";
import { TermIndex } from "./term-index.js";

let instance: TestInstance;
let client: pg.Client;
let writer: BatchWriter;
let ids: IdSource;
let number = 0;

beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  const claim = await claimCollector(client, "test", "live");
  writer = new BatchWriter(client, claim.number, null);
  ids = new IdSource(claim.number, 0);
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

const store = async (records: readonly HalvikRecord[]): Promise<HalvikRecord[]> => {
  const stored: StoredContent[] = records.map((content) => ({
    id: ids.next(1_000),
    sender: content.sender,
    endpoint: content.endpoint,
    copyOf: null,
    shape: content.shape === null ? null : { id: content.shape },
    content,
  }));
  await writer.commit({ number: ++number, records: stored, throughUs: 0, runRules: true }, 1_000);
  return records.map((r, i) => ({ ...r, id: formatRecordId(stored[i]!.id) }));
};
const NOW = 1_700_000_100_000_000;
const parse = (text: string) => {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
};
const everything = {
  fromUs: 0,
  toUs: 4e15,
  directory: TEST_DIRECTORY,
  nowUs: NOW,
  budgetMs: 60_000,
  terms: new TermIndex(),
};

test("what an import added to sums is taken out again to the last count", async () => {
  const tables = ["rollup_minute", "rollup_five_minutes", "rollup_hour"];
  const sums = async () => {
    const { rows } = await client.query(
      `select ${tables.map((t) => `(select coalesce(sum(count), 0)::text from ${t}) as ${t}`).join(", ")}`,
    );
    return rows[0];
  };
  const some = (seed: number) =>
    fc
      .sample(arbitraryRecord, { seed, numRuns: 200 })
      .map((r) => ({ ...r, bytes: r.bytes === null ? null : 1_000, packets: 3 }));
  await store(some(1));
  const before = await sums();
  const { rows } = await client.query<{ id: number }>(
    "insert into job (name, state, started_us, updated_us) values ('x', 'done', 0, 0) returning id",
  );
  const imports = new BatchWriter(client, writer.collector, rows[0]!.id);
  const records = some(2).map((content) => ({ id: ids.next(1_000), sender: 3, endpoint: "x", copyOf: null, content }));
  await imports.commit({ number: ++number, records, throughUs: 0, runRules: false }, 1_000);
  expect(await sums()).not.toEqual(before);
  expect(await removeImport(client, rows[0]!.id)).toBe(200);
  expect(await sums()).toEqual(before);
});

describe("what is stored comes back", () => {
  test("every field of random records, through binary COPY and back", async () => {
    const records = fc.sample(arbitraryRecord, { seed: 5, numRuns: 200 });
    for (const record of await store(records)) {
      const found = await findRecord(client, record.id);
      // a record without a valid PRI has no original severity; random ones have none at all
      const { originalSeverity: _, problem, ...want } = record;
      expect(found?.record).toMatchObject({ ...want, problem });
    }
  });

  test("read for rules, every field of the filter language says the same, and what joins and orders records too", async () => {
    const stored = await store(fc.sample(arbitraryRecord, { seed: 6, numRuns: 200 }));
    const sorted = stored.map((r) => BigInt(r.id)).sort((a, b) => (a < b ? -1 : 1));
    const read = await recordsInIdRange(
      client,
      { collector: writer.collector, low: String(sorted[0]), high: String(sorted[sorted.length - 1]) },
      { type: "everything" },
      TEST_DIRECTORY,
      NOW,
      1_000,
      "rules",
    );
    expect(read).toHaveLength(200);
    for (const lean of read) {
      const { record } = (await findRecord(client, lean.id))!;
      const seen = (r: HalvikRecord) => [
        FIELDS.map((f) => f.get(r, TEST_DIRECTORY.applications)),
        r.data,
        r.id,
        r.timeUs,
        r.sender,
        r.copyOf,
      ];
      expect(seen(lean)).toEqual(seen(record));
    }
  });

  test("read by COPY, a record is what it is read by a statement, for people and for rules", async () => {
    const stored = await store(fc.sample(arbitraryRecord, { seed: 8, numRuns: 200 }));
    const sorted = stored.map((r) => BigInt(r.id)).sort((a, b) => (a < b ? -1 : 1));
    const ids = { collector: writer.collector, low: String(sorted[0]), high: String(sorted[sorted.length - 1]) };
    const byId = (a: HalvikRecord, b: HalvikRecord) => (BigInt(a.id) < BigInt(b.id) ? -1 : 1);
    const asked = (reader: Reader) =>
      recordsInIdRange(client, ids, { type: "everything" }, TEST_DIRECTORY, NOW, 1_000, reader);
    const copied = await allInIdRange(client, ids);
    expect(new Set(copied.map((r) => r.kind)).size).toBeGreaterThan(3);
    expect(copied.sort(byId)).toEqual((await asked("rules")).sort(byId));
    const names = await segmentsWithIds(client, ids.low, ids.high, ids.collector);
    const whole = [];
    for (const name of names)
      whole.push(...(await rowsBetween(client, name, { after: String(sorted[0]! - 1n), upTo: ids.high, most: 1_000 })));
    expect(whole.sort(byId)).toEqual((await asked("people")).sort(byId));
    expect(await allInIdRange(client, { ...ids, collector: ids.collector + 1 })).toEqual([]);
  });

  test("what two collectors store at once is followed apart, and each record comes once", async () => {
    const beside = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
    await beside.connect();
    try {
      const claim = await claimCollector(beside, "beside", "live");
      const [other, otherIds] = [new BatchWriter(beside, claim.number, null), new IdSource(claim.number, 0)];
      const contents = fc.sample(arbitraryRecord, { seed: 9, numRuns: 60 });
      // their moments lie between one another
      const atUs = (i: number) => 5_000_000 + i * 10;
      const of = (mine: boolean) =>
        contents.flatMap((content, i): StoredContent[] =>
          (i % 2 === 0) === mine
            ? [{ id: (mine ? ids : otherIds).next(atUs(i)), sender: 1, endpoint: "t", copyOf: null, content }]
            : [],
        );
      const batch = { throughUs: 0, runRules: true };
      const batches = [
        { collector: writer.collector, number: ++number },
        { collector: claim.number, number: 1 },
      ];
      await writer.commit({ ...batch, number: batches[0]!.number, records: of(true) }, atUs(0));
      await other.commit({ ...batch, number: 1, records: of(false) }, atUs(0));
      const bounds = await idsOfBatches(client, batches);
      expect(bounds.map((b) => b.collector).sort()).toEqual(batches.map((b) => b.collector).sort());
      const told = [];
      for (const one of bounds)
        told.push(
          ...(await recordsInIdRange(client, one, { type: "everything" }, TEST_DIRECTORY, NOW, 1_000, "people")),
        );
      expect(told.length).toBe(60);
      expect(new Set(told.map((r) => r.id)).size).toBe(60);
      for (const name of await segmentsWithIds(client, "0", LAST_ID, claim.number)) await closeSegment(client, name);
    } finally {
      await beside.end();
    }
  });

  test("raw bytes, byte for byte, whatever came", async () => {
    const inputs = fc.sample(
      fc.oneof(
        fc.uint8Array({ maxLength: 300 }),
        fc.string({ unit: "binary" }).map((s) => new TextEncoder().encode(`<13>Oct 11 22:14:15 h a: ${s}\n`)),
      ),
      { seed: 7, numRuns: 300 },
    );
    const contents = inputs.map(
      (bytes) => syslogRecord(bytes, { receivedUs: NOW, zone: "UTC", clockOffsetUs: 0 }).content,
    );
    const stored: StoredContent[] = contents.map((content) => ({
      id: ids.next(2_000),
      sender: 1,
      endpoint: "t",
      copyOf: null,
      content,
    }));
    await writer.commit({ number: ++number, records: stored, throughUs: 0, runRules: true }, 2_000);
    for (const [i, s] of stored.entries()) {
      const found = await findRecord(client, formatRecordId(s.id));
      const raw = found!.raw ?? Buffer.from(found!.record.head + found!.record.text + found!.record.tail);
      expect(Buffer.compare(raw, Buffer.from(inputs[i]!))).toBe(0);
    }
  });

  test("a batch number is taken once: replaying it is refused whole", async () => {
    const before = await client.query("select count(*) from segment");
    await expect(writer.commit({ number, records: [], throughUs: 0, runRules: true }, 0)).rejects.toMatchObject({
      code: "23505",
    });
    expect((await client.query("select count(*) from segment")).rows).toEqual(before.rows);
  });
});

describe("the filter in memory and in SQL", () => {
  let records: HalvikRecord[] = [];
  beforeAll(async () => {
    records = await store(fc.sample(arbitraryRecord, { seed: 11, numRuns: 400 }));
  });
  const low = () => records[0]!.id;
  const sqlMatches = async (filter: Filter) => {
    const ids = new Set<string>();
    let exact = true;
    for (const [shape, table] of [
      ["record", "s_0001_live_000001"],
      ["flow", "f_0001_live_000001"],
    ] as const) {
      const params = new Params();
      const condition = filterToSql(filter, params, { directory: TEST_DIRECTORY, nowUs: NOW, shape });
      const { rows } = await client.query<{ id: string }>(
        `select r.id::text as id from segments.${table} r where r.id >= ${params.add(low(), "::bigint")} and r.id <= ${params.add(records[records.length - 1]!.id, "::bigint")} and ${condition.text}`,
        params.values,
      );
      for (const r of rows) ids.add(r.id);
      exact &&= condition.exact;
    }
    return { exact, ids };
  };
  const live = () => records.filter((r) => r.receivedUs - r.timeUs <= 600_000_000 && !r.marks.includes("held"));

  test("random trees over every field, comparator and missing value: equal where exact, never too few", async () => {
    const TREES = effort(300);
    let exact = 0;
    for (const filter of fc.sample(arbitraryFilter, { seed: 13, numRuns: TREES })) {
      const inMemory = compileFilter(filter, { directory: TEST_DIRECTORY, nowUs: NOW });
      const want = live()
        .filter(inMemory)
        .map((r) => r.id);
      const got = await sqlMatches(filter);
      if (got.exact) {
        exact++;
        expect({ filter, ids: [...got.ids].sort() }).toEqual({ filter, ids: [...want].sort() });
      } else for (const id of want) expect({ filter, id, found: got.ids.has(id) }).toEqual({ filter, id, found: true });
    }
    expect(exact).toBeGreaterThan(TREES / 3);
  });

  /** The search against the evaluator: what it gives, in what order, page by page, both ways, and how many it counts. */
  const searchIsTrue = async (seed: number) => {
    for (const filter of fc.sample(arbitraryFilter, { seed, numRuns: effort(4) })) {
      const found = await all(filter);
      const want = found.filter((r) => BigInt(r.id) >= BigInt(low()));
      const inMemory = records.filter(compileFilter(filter, { directory: TEST_DIRECTORY, nowUs: NOW }));
      expect({ filter, ids: new Set(want.map((r) => r.id)) }).toEqual({
        filter,
        ids: new Set(inMemory.map((r) => r.id)),
      });
      const keys = want.map((r) => [r.timeUs, BigInt(r.id)] as const);
      expect(keys).toEqual([...keys].sort((a, b) => b[0] - a[0] || (b[1] > a[1] ? 1 : -1)));
      const newer = await all(filter, "newer");
      expect(newer.filter((r) => BigInt(r.id) >= BigInt(low())).map((r) => r.id)).toEqual(
        want.map((r) => r.id).reverse(),
      );
      const narrow = { fromUs: 1_700_000_020_000_000, toUs: 1_700_000_080_000_000 };
      const counted = await histogram(client, { ...everything, ...narrow, filter }, 7_000_000);
      const within = found.filter((r) => r.timeUs >= narrow.fromUs && r.timeUs < narrow.toUs);
      expect(counted.exact).toBe(true);
      expect(counted.total).toBe(within.length);
      for (const bucket of counted.buckets) {
        const inBucket = within.filter((r) => Math.floor(r.timeUs / 7_000_000) * 7_000_000 === bucket.fromUs);
        expect(bucket).toMatchObject({
          count: inBucket.length,
          errors: inBucket.filter((r) => r.severity <= 3).length,
        });
      }
    }
  };

  test("the search gives just what the filter matches before anything is indexed", () => searchIsTrue(17));

  test("and with the first parts indexed, beside rows that are not", async () => {
    while (await indexNext(client, 90)) {}
    const { rows } = await client.query("select sum(indexed_rows)::int as done, sum(rows)::int as rows from segment");
    expect(rows[0].done).toBeGreaterThan(270);
    expect(rows[0].done).toBeLessThan(rows[0].rows);
    await searchIsTrue(18);
  });

  test("and when everything is sealed; an earlier Halvik's B-trees are gone", async () => {
    await writer.close();
    while (await indexNext(client, 90)) {}
    const { rows } = await client.query("select distinct state, rows = indexed_rows as whole from segment");
    expect(rows).toEqual([{ state: "sealed", whole: true }]);
    const indexes = await client.query(
      "select count(*)::int as n from pg_indexes where tablename = 's_0001_live_000001'",
    );
    expect(indexes.rows[0].n).toBe(2);
    await searchIsTrue(19);
    const page = await searchRecords(client, {
      ...everything,
      filter: parse("linkdown"),
      limit: 5,
      cursor: null,
      direction: "older",
    });
    expect(page.searched).toMatchObject({ byScan: 0, gone: 0 });
    expect(page.searched.rowsRead).toBeLessThanOrEqual(5 + 1);
  });

  test("a search whose time is over says so and goes on from there, losing nothing", async () => {
    const filter = parse("text matches /i/ or link");
    const whole = (await all(filter)).map((r) => r.id);
    const pieces: string[] = [];
    let cursor: { timeUs: number; id: string } | null = null;
    let partial = 0;
    for (;;) {
      const page: Awaited<ReturnType<typeof searchRecords>> = await searchRecords(client, {
        ...everything,
        filter,
        limit: 20,
        cursor,
        direction: "older",
        budgetMs: 0,
      });
      pieces.push(...page.records.map((r) => r.id));
      if (page.partial) partial++;
      if (!page.next) break;
      cursor = page.next;
    }
    expect(pieces).toEqual(whole);
    expect(partial).toBeGreaterThan(1);
  });

  async function all(filter: Filter, direction: "older" | "newer" = "older"): Promise<HalvikRecord[]> {
    const out: HalvikRecord[] = [];
    let cursor: { timeUs: number; id: string } | null = null;
    for (;;) {
      const page: Awaited<ReturnType<typeof searchRecords>> = await searchRecords(client, {
        ...everything,
        filter,
        limit: 97,
        cursor,
        direction,
      });
      out.push(...page.records);
      if (!page.next) return out;
      cursor = page.next;
    }
  }

  test("histograms from rollups and from records agree", async () => {
    const window = {
      ...everything,
      fromUs: 1_700_000_000_000_000 - (1_700_000_000_000_000 % 3_600e6),
      toUs: 1_700_003_600_000_000,
    };
    for (const text of ["", "severity at least error", "not kind is syslog", "sender in group Shore"]) {
      const rolled = await histogram(client, { ...window, filter: parse(text) }, 3_600e6);
      const counted = await histogram(
        client,
        { ...window, filter: parse(`${text === "" ? "" : `(${text}) and `}arrival at least 1970-01-01`) },
        3_600e6,
      );
      expect([rolled.source, counted.source]).toEqual(["rollups", "records"]);
      expect(rolled.buckets).toEqual(counted.buckets);
      // a window that begins and ends within buckets: not one record more
      const odd = { fromUs: 1_700_000_013_456_789, toUs: 1_700_000_091_234_567 };
      const edges = await histogram(client, { ...window, ...odd, filter: parse(text) }, 60e6);
      const within = (await all(parse(text))).filter((r) => r.timeUs >= odd.fromUs && r.timeUs < odd.toUs);
      expect([edges.total, edges.exact]).toEqual([within.length, true]);
    }
  });
});

test("the web role reads records but cannot alter them", async () => {
  const web = new pg.Client(connectionOf(instance.config, instance.secrets, "web"));
  await web.connect();
  try {
    expect((await web.query("select count(*) as n from segments.s_0001_live_000001")).rows[0].n).toBeGreaterThan(0);
    for (const sql of [
      "update segments.s_0001_live_000001 set message = ''",
      "delete from segments.s_0001_live_000001",
      "drop table segments.s_0001_live_000001",
      "update rollup_hour set count = 0",
      "delete from raw_bytes",
      "delete from batch",
      "delete from audit",
    ])
      await expect(web.query(sql)).rejects.toMatchObject({ code: expect.stringMatching(/^42501/) });
  } finally {
    await web.end();
  }
});
