import { readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { HalvikRecord } from "@halvik/core/model/record";
import { SenderDirectory } from "@halvik/core/model/senders";
import { parseFilter } from "@halvik/core/query/filter";
import pg from "pg";
import { loadSenders } from "../domains/intake/senders/repository.js";
import { collectorDir } from "../kernel/config/data-dir.js";
import { connectionOf } from "../kernel/db/pool.js";
import { searchRecords } from "../store/search.js";
import { TermIndex } from "../store/term-index.js";
import { RoleProcess, runCommand, TestDevice } from "./roles.js";
import { runInside } from "./run-inside.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** The roles as real processes, real sockets, a real PostgreSQL; faults where Halvik promises to survive them. */
let instance: TestInstance;
let collector: RoleProcess;
let engine: RoleProcess;
const devices: TestDevice[] = [];

beforeAll(async () => {
  instance = await startTestInstance();
  const list = [
    "name,addresses,relay,site,groups,role,zone,reached through,expected every seconds,notes",
    "vpn-1,127.30.0.1,no,Orvane,security,,Europe/Oslo,,,",
    "relay-1,127.30.0.2,yes,Orvane,,,Europe/Oslo,,,",
    "sw-1,10.30.0.3 127.30.0.3,no,Hestnes,network,,UTC,,,",
  ].join("\n");
  expect(await runInside(instance.env, ["senders", "import", "-"], list)).toMatchObject({
    code: 0,
    out: "3 made, 0 changed\n",
  });
  collector = await RoleProcess.start(instance, "collector");
  engine = await RoleProcess.start(instance, "engine");
}, 240_000);
afterAll(async () => {
  for (const d of devices) d.close();
  await engine?.stop();
  await collector?.stop();
  await instance?.dispose();
}, 240_000);

const device = (address: string) => {
  const known = devices.find((d) => d.address === address);
  if (known) return known;
  const made = new TestDevice(address, instance);
  devices.push(made);
  return made;
};

async function withDb<T>(work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  client.on("error", () => undefined);
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end().catch(() => undefined);
  }
}

const search = (filter: string): Promise<(HalvikRecord & { senderName: string })[]> =>
  withDb(async (client) => {
    const directory = new SenderDirectory(await loadSenders(client, "UTC"));
    const parsed = parseFilter(filter, { zone: "UTC" });
    if (!parsed.ok) throw new Error(parsed.error.message);
    const page = await searchRecords(client, {
      filter: parsed.filter,
      fromUs: 0,
      toUs: 4e15,
      limit: 1000,
      cursor: null,
      direction: "older",
      directory,
      nowUs: 0,
      budgetMs: 30_000,
      terms: new TermIndex(),
    });
    return page.records.map((r) => ({ ...r, senderName: directory.name(r.sender) }));
  });
const found = (filter: string, n: number) =>
  eventually(
    `${n} records of ${filter}`,
    () => search(filter),
    (r) => r.length >= n,
  );
const numbered = (what: string, n: number, from = 0) =>
  Array.from({ length: n }, (_, i) => `<13>1 ${new Date().toISOString()} vpn-1 t - - - ${what} ${from + i}.`);
const numbersOf = (records: readonly HalvikRecord[]) =>
  records.map((r) => Number(/ (\d+)\.$/.exec(r.text)![1])).sort((a, b) => a - b);
const upTo = (n: number) => Array.from({ length: n }, (_, i) => i);

describe("from socket to record", () => {
  test("UDP and TCP, with sender by alias, zone and raw bytes", async () => {
    await device("127.30.0.3").send("<189>Interface ge0/1, changed state to down zebra");
    await device("127.30.0.1").sendTcp(["<34>1 2003-10-11T22:14:15.003Z old - - - - zebra"]);
    const records = await found("zebra", 2);
    expect(records.find((r) => r.senderName === "sw-1")).toMatchObject({
      category: "link",
      outcome: "failure",
      interface: "ge0/1",
      severity: 5,
      facility: 23,
    });
    expect(records.find((r) => r.senderName === "vpn-1")).toMatchObject({
      timeReason: "arrival: too far behind",
      endpoint: "syslog over TCP",
    });
  });
  test("what cannot be decoded is a record with its bytes and reason", async () => {
    await device("127.30.0.1").send(Uint8Array.from([0x3c, 0x31, 0x33, 0x3e, 0x71, 0x78, 0x7a, 0x20, 0xff, 0x00]));
    const [record] = await found("qxz", 1);
    expect(record).toMatchObject({ problem: { code: "NOT_UTF8", offset: 8 }, marks: ["problem"] });
  });
  test("behind a relay the original host is the sender, and a copy by the other path is marked", async () => {
    const line = `<13>1 ${new Date().toISOString()} vpn-1 app 7 - - heron flies`;
    await device("127.30.0.1").send(line);
    await found("heron", 1);
    await device("127.30.0.2").send(line);
    const records = await found("heron", 2);
    const copy = records.find((r) => r.copyOf !== null)!;
    const original = records.find((r) => r.copyOf === null)!;
    expect(copy).toMatchObject({ copyOf: original.id, senderName: "vpn-1 via relay-1", marks: ["copy"] });
  });
  test("a sender nobody admitted waits; what it sent is stored on admission, marked held, with its own arrival", async () => {
    await device("127.30.0.9").send("<13>a: ibex one");
    await device("127.30.0.9").send("<13>a: ibex two");
    const waiting = await eventually(
      "a waiting sender",
      () =>
        withDb((c) =>
          c.query<{ id: number; n: number }>(
            "select s.id, (select count(*)::int from held_record h where h.sender = s.id) as n from sender s where s.name = '127.30.0.9' and s.state = 'waiting'",
          ),
        ),
      (r) => r.rows[0]?.n === 2,
    );
    expect(await search("ibex")).toEqual([]);
    const admittedAt = Date.now() * 1000;
    await withDb((c) => c.query("update sender set state = 'admitted' where id = $1", [waiting.rows[0]!.id]));
    const records = await found("ibex", 2);
    for (const r of records) {
      expect(r.marks).toContain("held");
      expect(r.receivedUs).toBeLessThan(admittedAt);
    }
    await device("127.30.0.9").send("<13>a: ibex three");
    expect((await found("ibex", 3)).map((r) => r.marks.includes("held")).sort()).toEqual([false, true, true]);
  });
});

/** However busy the machine is: the fault lasts until what it leads to has come about. */
const spoolInUse = () =>
  eventually(
    "records on disk",
    async () =>
      readdirSync(join(collectorDir(instance.config.HALVIK_DATA_DIR), "spool")).filter((n) => SPOOL_FILE.test(n)),
    (names) => names.length > 0,
  );
const SPOOL_FILE = /^spool-\d{16}\.bin$/;

describe("faults", () => {
  test("PostgreSQL away: the collector spools, and everything is there once afterwards, with an incident that says so", async () => {
    for (const line of numbered("otter", 50)) await device("127.30.0.1").send(line);
    await found("otter", 50);
    await instance.cluster.stop();
    for (const line of numbered("otter", 200, 50)) await device("127.30.0.1").send(line);
    await spoolInUse();
    for (const line of numbered("otter", 50, 250)) await device("127.30.0.1").send(line);
    // what lasts less than two seconds is told nobody
    await new Promise((r) => setTimeout(r, 2_500));
    await instance.cluster.start();
    const records = await eventually(
      "all otters",
      () => search("otter"),
      (r) => r.length >= 300,
      30_000,
    );
    expect(numbersOf(records)).toEqual(upTo(300));
    await eventually(
      "the spool incident",
      () => withDb((c) => c.query("select title from incident where rule_id = 'halvik-spool'")),
      (r) => r.rows.length === 1,
      30_000,
    );
  }, 240_000);

  test("PostgreSQL away while nothing comes: once it is back nobody says that records are kept on disk", async () => {
    await instance.cluster.stop();
    // it has been looked for by then, and not found
    await new Promise((r) => setTimeout(r, 3_000));
    await instance.cluster.start();
    const backUs = Date.now() * 1_000;
    await eventually(
      "the collector's own word",
      () =>
        withDb((c) =>
          c.query<{ heartbeat_us: number; spooling: boolean }>(
            "select heartbeat_us, (detail->>'spooling')::boolean as spooling from role_status where role = 'collector'",
          ),
        ),
      ({ rows }) => rows[0]!.heartbeat_us > backUs && !rows[0]!.spooling,
      30_000,
    );
  }, 240_000);

  test("PostgreSQL only slow: records wait on disk, it is noted, and no incident says that the store is away", async () => {
    const told = (event: string) => search(`kind is halvik and event is ${event}`);
    const before = (await told("spool-in-use")).length;
    await withDb(async (db) => {
      await db.query("begin");
      await db.query("lock table batch in access exclusive mode");
      for (const line of numbered("ferret", 60)) await device("127.30.0.1").send(line);
      await spoolInUse();
      await new Promise((r) => setTimeout(r, 4_000));
      await db.query("commit");
    });
    const records = await eventually(
      "all ferrets",
      () => search("ferret"),
      (r) => r.length >= 60,
    );
    expect(numbersOf(records)).toEqual(upTo(60));
    await eventually(
      "the note",
      () => told("store-slow"),
      (r) => r.length > 0,
    );
    expect(await told("spool-in-use")).toHaveLength(before);
  }, 240_000);

  test("kill -9 of the collector while PostgreSQL is away: what was spooled is there once", async () => {
    await instance.cluster.stop();
    for (const line of numbered("badger", 120)) await device("127.30.0.1").send(line);
    await new Promise((r) => setTimeout(r, 1_500));
    await collector.kill();
    await instance.cluster.start();
    collector = await RoleProcess.start(instance, "collector");
    const records = await eventually(
      "all badgers",
      () => search("badger"),
      (r) => r.length >= 120,
      30_000,
    );
    expect(numbersOf(records)).toEqual(upTo(120));
  }, 240_000);

  test("kill -9 of the collector under load: nothing twice, and at most the batch in hand is missing", async () => {
    const lines = numbered("marten", 2_200);
    const send = async (from: number, to: number) => {
      for (const line of lines.slice(from, to)) await device("127.30.0.1").send(line);
    };
    const martens = () =>
      withDb(async (c) => {
        const { rows } = await c.query<{ message: string }>(
          `select message from (${unionOf(await tables(c))}) r where strpos(message, 'marten') > 0`,
        );
        return rows.map((r) => Number(/ (\d+)\.$/.exec(r.message)![1])).sort((x, y) => x - y);
      });
    await send(0, 1_000);
    await eventually("the first martens", martens, (n) => n.length >= 1_000);
    // those of the last moment may be gone with it: nobody had them yet
    await send(1_000, 1_200);
    await collector.kill();
    collector = await RoleProcess.start(instance, "collector");
    await send(1_200, 2_200);
    const numbers = await eventually("martens", martens, (n) => n.includes(2_199) && n.length >= 2_000);
    expect(numbers).toEqual([...new Set(numbers)]);
    expect(numbers.filter((n) => n < 1_000 || n >= 1_200)).toEqual(upTo(2_200).filter((n) => n < 1_000 || n >= 1_200));
  }, 240_000);

  test("kill -9 of the engine in the middle of an attack: one incident, every record counted once", async () => {
    const attack = (i: number) =>
      device("127.30.0.1").send(`<86>sshd[1]: Failed password for u${i % 4} from 203.0.113.50 port ${1000 + i} ssh2`);
    for (let i = 0; i < 8; i++) await attack(i);
    await found("src is 203.0.113.50", 8);
    await engine.kill();
    for (let i = 8; i < 30; i++) await attack(i);
    await found("src is 203.0.113.50", 30);
    engine = await RoleProcess.start(instance, "engine");
    const incident = () =>
      withDb((c) =>
        c.query<{ count: number; state: string; title: string }>(
          "select count, state, title from incident where rule_id = 'refused-logons' and key = '203.0.113.50'",
        ),
      );
    await eventually("the incident", incident, (r) => r.rows[0]?.count === 30);
    for (let i = 30; i < 40; i++) await attack(i);
    // what is evidence is counted at once, the title follows within two seconds
    const after = await eventually("its fold", incident, (r) => r.rows[0]?.title.startsWith("40 ") ?? false);
    expect(after.rows).toEqual([{ count: 40, state: "open", title: "40 refused logons from 203.0.113.50 on vpn-1" }]);
  }, 240_000);
});

const tables = async (c: pg.Client) =>
  (await c.query<{ name: string }>("select name from segment order by name")).rows.map((r) => r.name);
const unionOf = (names: readonly string[]) => names.map((n) => `select message from segments.${n}`).join(" union all ");

describe("commands", () => {
  test("decode: text and capture, one JSON record a line, errors with place; exit 0 unless the file cannot be read", async () => {
    const text = await runCommand(
      instance.env,
      ["decode", "--zone", "Europe/Oslo", "--received", "2026-01-01T00:10:00Z", "-"],
      "<34>Dec 31 23:59:00 h su: 'su root' failed for lonvick\n<999>x\n\n",
    );
    expect(text.code).toBe(0);
    const lines = text.out
      .trim()
      .split("\n")
      .map((l) => JSON.parse(l));
    expect(lines).toMatchObject([
      {
        line: 1,
        time: "2025-12-31T22:59:00.000000Z",
        severity: "critical",
        facility: "auth",
        app: "su",
        users: ["lonvick"],
      },
      { line: 2, problem: { code: "INVALID_PRI", offset: 1 } },
      { line: 3, problem: { code: "EMPTY" } },
    ]);
    const file = join(instance.config.HALVIK_DATA_DIR, "odd.pcap");
    writeFileSync(
      file,
      Buffer.concat([Buffer.from("d4c3b2a1020004000000000000000000ffff000065000000", "hex"), Buffer.alloc(9)]),
    );
    const capture = await runCommand(instance.env, ["decode", file]);
    expect([capture.code, JSON.parse(capture.out)]).toMatchObject([0, { frame: 1, error: { code: "TRUNCATED" } }]);
    expect((await runCommand(instance.env, ["decode", "/nowhere"])).code).toBe(1);
  });
  test("simulate history | import: a receipt that adds up, times from the capture, rules over it on request", async () => {
    const { spawnSync } = await import("node:child_process");
    const program = "packages/server/dist/halvik.js";
    const capture = spawnSync(
      process.execPath,
      [program, "simulate", "history", "--days", "0.3", "--seed", "5", "--until", "2026-11-20T12:00:00Z"],
      { maxBuffer: 1e9, env: { ...instance.env, NODE_OPTIONS: "" } },
    ).stdout;
    const file = join(instance.config.HALVIK_DATA_DIR, "history.pcap");
    writeFileSync(file, capture);
    await runCommand(
      instance.env,
      ["senders", "import", "-"],
      (await runCommand(instance.env, ["simulate", "senders"])).out,
    );
    const receipt = await runCommand(instance.env, ["import", file, "--rules"]);
    const m =
      /(\d+) read, (\d+) stored as (\d+) records(?:, (\d+) refused: templates or counters, no record)?, in/.exec(
        receipt.out,
      )!;
    expect([receipt.code, Number(m[1])]).toEqual([0, Number(m[2]) + Number(m[4] ?? 0)]);
    expect(Number(m[3])).toBeGreaterThan(Number(m[2]));
    expect(Number(m[1])).toBeGreaterThan(10_000);
    const [record] = await search("sender is dns-1");
    expect(record).toMatchObject({ marks: ["imported"] });
    expect(record!.receivedUs).toBeLessThan(Date.UTC(2026, 10, 20, 12) * 1000);
    await eventually(
      "incidents of the past",
      () => withDb((c) => c.query("select 1 from incident where last_us < $1", [Date.UTC(2026, 10, 20, 12) * 1000])),
      (r) => r.rows.length >= 1,
      20_000,
    );
  }, 240_000);
  test("help everywhere; a mistake is one sentence and exit 1", async () => {
    for (const command of [
      [],
      ["serve"],
      ["decode"],
      ["import"],
      ["senders"],
      ["senders", "import"],
      ["token", "create"],
      ["user", "reset"],
      ["simulate", "live"],
      ["rules"],
      ["start"],
    ])
      expect(await runInside(instance.env, [...command, "--help"])).toMatchObject({
        code: 0,
        out: expect.stringContaining("Usage: halvik"),
      });
    expect(await runCommand(instance.env, ["user", "reset", "nobody"])).toMatchObject({
      code: 1,
      err: "halvik: there is no account “nobody”\n",
    });
    expect(await runCommand({ ...instance.env, HALVIK_HTTP_PORT: "x" }, ["token", "list"])).toMatchObject({
      code: 1,
      err: expect.stringContaining("HALVIK_HTTP_PORT"),
    });
  }, 240_000);
});
