import { chmodSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from "node:fs";
import { getPriority, tmpdir } from "node:os";
import { join } from "node:path";
import { SenderDirectory } from "@halvik/core/model/senders";
import { syslogRecord } from "@halvik/core/normalise";
import { parseFilter } from "@halvik/core/query/filter";
import pg from "pg";
import { writeHeartbeat } from "../../domains/health/repository.js";
import { coverageOf } from "../../domains/intake/coverage.js";
import { connectionOf } from "../../kernel/db/pool.js";
import { freePort } from "../../testing/free-port.js";
import { RoleProcess, runCommand } from "../../testing/roles.js";
import { eventually, startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { BatchWriter } from "../batches.js";
import { claimCollector } from "../collectors.js";
import { histogram } from "../histogram.js";
import { keepDaysBy } from "../keep-days.js";
import { IdSource } from "../record-id.js";
import { searchRecords } from "../search.js";
import { TermIndex } from "../term-index.js";
import { indexNext } from "./index-segments.js";
import { dropExpired, shedOldest } from "./retention.js";

let instance: TestInstance;
let client: pg.Client;
let writer: BatchWriter;
let ids: IdSource;
let number = 0;
const DAY = 86_400_000_000;
const NOW = 20_000 * DAY;
const NO_SENDERS = new SenderDirectory([]);

beforeAll(async () => {
  // the keeper that runs below goes by the real clock: what these tests store is old to it
  instance = await startTestInstance({ HALVIK_KEEP_RECORDS_DAYS: "36500" });
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  const claim = await claimCollector(client, "test", "import");
  writer = new BatchWriter(client, claim.number, null);
  ids = new IdSource(claim.number, 0);
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

/** A closed segment of records of one day. */
async function storeDay(daysAgo: number, count: number): Promise<void> {
  const at = NOW - daysAgo * DAY;
  const records = Array.from({ length: count }, (_, i) => ({
    id: ids.next(at),
    sender: 1,
    endpoint: "t",
    copyOf: null,
    content: {
      ...syslogRecord(Buffer.from(`<11>a: line ${i} of day ${daysAgo}`), {
        receivedUs: at + i,
        zone: "UTC",
        clockOffsetUs: 0,
      }).content,
      raw: i === 0 ? new Uint8Array([1]) : null,
    },
  }));
  await writer.commit({ number: ++number, records, throughUs: at, runRules: false }, at);
  await writer.close();
}
const search = (text: string, terms = new TermIndex()) => {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  const scope = {
    filter: parsed.filter,
    fromUs: 0,
    toUs: 4e15,
    directory: NO_SENDERS,
    nowUs: NOW,
    budgetMs: 30_000,
    terms,
  };
  return {
    page: () => searchRecords(client, { ...scope, limit: 1_000, cursor: null, direction: "older" }),
    count: () => histogram(client, scope, DAY),
  };
};

describe("retention", () => {
  test("a sender's days come before its kind's; each lies in segments of its own, and what nobody writes to is closed", async () => {
    const kept = new BatchWriter(
      client,
      writer.collector,
      null,
      keepDaysBy((id) => (id === 7 ? 3 : null), new Map([["syslog", 90]])),
    );
    const at = NOW - 20 * DAY;
    const records = [7, 8, 7].map((sender) => ({
      id: ids.next(at),
      sender,
      endpoint: "x",
      copyOf: null,
      content: syslogRecord(Buffer.from("<11>a: kept apart"), { receivedUs: at, zone: "UTC", clockOffsetUs: 0 })
        .content,
    }));
    await kept.commit({ number: ++number, records, throughUs: at, runRules: false }, at);
    const { rows } = await client.query("select rows::int, keep_days from segment where state = 'open' order by rows");
    expect(rows).toEqual([
      { rows: 1, keep_days: 90 },
      { rows: 2, keep_days: 3 },
    ]);
    expect((await dropExpired(client, { records: 10, flows: 10 }, NOW)).map((o) => o.data?.[0]?.[1])).toEqual(["2"]);
    expect((await search("apart").page()).records.map((r) => r.sender)).toEqual([8]);
    expect(await dropExpired(client, { records: 10, flows: 10 }, NOW + 90 * DAY)).toHaveLength(1);
  });
  test("what was imported is kept from the import on, however old it is", async () => {
    const imports = new BatchWriter(client, writer.collector, 4);
    const at = NOW - 400 * DAY;
    const content = syslogRecord(Buffer.from("<11>a: last year"), {
      receivedUs: at,
      zone: "UTC",
      clockOffsetUs: 0,
    }).content;
    const record = { id: ids.next(NOW), sender: 1, endpoint: "import", copyOf: null, content };
    await imports.commit({ number: ++number, records: [record], throughUs: at, runRules: false }, NOW);
    await imports.close();
    expect(await dropExpired(client, { records: 30, flows: 14 }, NOW + 29 * DAY)).toEqual([]);
    expect(await dropExpired(client, { records: 30, flows: 14 }, NOW + 31 * DAY)).toHaveLength(1);
  });
  test("what is older than is kept goes whole, is told, and is missed by nobody silently", async () => {
    await storeDay(40, 30);
    await storeDay(31, 20);
    await storeDay(2, 10);
    while (await indexNext(client)) {}
    // a search that has begun when a segment goes: the rest is answered
    const running = search("line");
    const told = await dropExpired(client, { records: 30, flows: 14 }, NOW);
    expect(told.map((o) => [o.event, o.data?.[0]?.[1]])).toEqual([
      ["segment-expired", "30"],
      ["segment-expired", "20"],
    ]);
    expect((await running.page()).records).toHaveLength(10);
    expect((await search("day").count()).total).toBe(10);
    // from rollups, which still know what was dropped
    expect(await search("").count()).toMatchObject({ total: 10, exact: true });
    expect((await search("severity is error").count()).total).toBe(10);
    const left = await client.query(
      "select (select count(*)::int from raw_bytes) as raw, (select count(*)::int from index_part) as parts, (select count(distinct part)::int from index_terms) as indexed",
    );
    expect(left.rows[0]).toEqual({ raw: 1, parts: 1, indexed: 1 });
    const coverage = await coverageOf(
      client,
      { fromUs: NOW - 35 * DAY, toUs: NOW },
      { directory: NO_SENDERS, nowUs: NOW, terms: new TermIndex() },
    );
    expect(coverage.keptFromUs).toBe(NOW - 2 * DAY);
    expect(await dropExpired(client, { records: 30, flows: 14 }, NOW)).toEqual([]);
  });

  test("short of disk: the oldest goes first, one at a time, never what is being written", async () => {
    await storeDay(3, 5);
    const told = await shedOldest(client, 1e8, NOW);
    expect(told).toMatchObject([{ event: "segment-shed", severity: 2, data: [["records", "5"]] }]);
    const { rows } = await client.query("select count(*)::int as n from segment where state <> 'open'");
    for (let i = 0; i < rows[0].n; i++) expect(await shedOldest(client, 1e8, NOW)).toHaveLength(1);
    expect(await shedOldest(client, 1e8, NOW)).toEqual([]);
  });
});

describe("killed while it works", () => {
  test("a keeper that dies in the middle of a part leaves a segment that reads whole, and the next one finishes it", async () => {
    await storeDay(1, 3_000);
    // what fills is not vacuumed again and again; what is sealed is left to PostgreSQL's own process
    const options = async () =>
      (
        await client.query<{ reloptions: string[] | null }>(
          "select c.reloptions from pg_class c join pg_namespace n on n.oid = c.relnamespace join segment s on s.name = c.relname where n.nspname = 'segments' and s.rows = 3000",
        )
      ).rows.map((r) => r.reloptions);
    expect(await options()).toEqual([["autovacuum_vacuum_insert_threshold=-1", "autovacuum_analyze_scale_factor=0.5"]]);
    let breaths = 0;
    await expect(
      indexNext(client, 131_072, async () => {
        if (++breaths === 1) throw new Error("killed");
      }),
    ).rejects.toThrow("killed");
    expect((await search('"day 1"').page()).records).toHaveLength(1_000);
    expect((await search("line").count()).total).toBe(3_000);
    const keeper = await RoleProcess.start(instance, "keeper");
    const state = async () =>
      (await client.query("select state, indexed_rows from segment where rows = 3000")).rows as {
        state: string;
        indexed_rows: number;
      }[];
    await keeper.kill();
    // a collector has records on its own disk: what can wait does
    const sign = (spooling: boolean) =>
      writeHeartbeat(client, "collector", "here", 0, Date.now() * 1_000, { spooling });
    await sign(true);
    const again = await RoleProcess.start(instance, "keeper");
    for (let second = 0; second < 6; second++) {
      await new Promise((resolve) => setTimeout(resolve, 1_000));
      await sign(true);
    }
    expect(await state()).toEqual([{ state: "closed", indexed_rows: 0 }]);
    await sign(false);
    await eventually("sealed", state, (rows) => rows[0]?.state === "sealed" && rows[0].indexed_rows === 3_000);
    await eventually("left to be vacuumed", options, ([of]) => of === null);
    // others have the processors first (nice(2))
    expect(getPriority(again.child.pid!)).toBe(10);
    await again.stop();
    expect((await search("line").count()).total).toBe(3_000);
    const { searched } = await search('"line 7 of"').page();
    expect(searched).toMatchObject({ byTerms: 1, byScan: 0 });
  }, 240_000);
});

test("a backup of the running store, restored into another data directory, answers the same", async () => {
  const directory = mkdtempSync(join(tmpdir(), "halvik-backup-"));
  // as root, the database runs as another user, who has to get through
  chmodSync(directory, 0o755);
  const dump = join(directory, "dump");
  const before = (await search("line").count()).total;
  expect(await runCommand(instance.env, ["backup", dump])).toMatchObject({ code: 0, err: "" });
  expect((await runCommand(instance.env, ["backup", dump])).err).toContain("is there already");
  expect(statSync(dump).mode & 0o077).toBe(0);
  expect((await runCommand(instance.env, ["restore", dump])).err).toContain("holds 3");
  // the same encrypted: unreadable without the passphrase, and by others; restored with it
  const passphrase = join(directory, "passphrase");
  writeFileSync(passphrase, "six quiet herons by the quay\n");
  const sealed = join(directory, "sealed.age");
  const how = ["--passphrase-file", passphrase];
  expect(await runCommand(instance.env, ["backup", sealed, ...how])).toMatchObject({ code: 0, err: "" });
  expect([statSync(sealed).mode & 0o077, readFileSync(sealed, "latin1").slice(0, 21)]).toEqual([
    0,
    "age-encryption.org/v1",
  ]);
  const elsewhere = {
    ...instance.env,
    HALVIK_DATA_DIR: join(directory, "elsewhere"),
    HALVIK_DB_PORT: String(await freePort()),
  };
  expect((await runCommand(elsewhere, ["restore", sealed])).err).toContain("--passphrase-file");
  writeFileSync(join(directory, "wrong"), "seven loud herons by the quay");
  expect((await runCommand(elsewhere, ["restore", sealed, "--passphrase-file", join(directory, "wrong")])).code).toBe(
    1,
  );
  expect(await runCommand(elsewhere, ["restore", sealed, ...how])).toMatchObject({
    code: 0,
    out: expect.stringContaining("restored in"),
  });
  const other = await startTestInstance({ HALVIK_DB_PORT: elsewhere.HALVIK_DB_PORT }, elsewhere.HALVIK_DATA_DIR);
  const there = new pg.Client(connectionOf(other.config, other.secrets, "owner"));
  await there.connect();
  const { rows } = await there.query("select sum(rows)::int as rows, sum(indexed_rows)::int as indexed from segment");
  expect(rows[0]).toEqual({ rows: before, indexed: before });
  expect((await there.query("select count(*)::int as n from index_terms")).rows[0].n).toBeGreaterThan(0);
  await there.end();
  await other.dispose();
  rmSync(directory, { recursive: true, force: true });
}, 240_000);
