import { execFileSync } from "node:child_process";
import { once } from "node:events";
import { createWriteStream, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { PassThrough } from "node:stream";
import { newSender, SenderDirectory } from "@halvik/core/model/senders";
import { syslogRecord } from "@halvik/core/normalise";
import { parseFilter } from "@halvik/core/query/filter";
import { Random } from "@halvik/simulator";
import pg from "pg";
import { connectionOf } from "../../kernel/db/pool.js";
import { BatchWriter } from "../../store/batches.js";
import { claimCollector } from "../../store/collectors.js";
import { histogram } from "../../store/histogram.js";
import { indexNext } from "../../store/keeping/index-segments.js";
import { IdSource } from "../../store/record-id.js";
import { TermIndex } from "../../store/term-index.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { type ExportFormat, type ExportRequest, exportArchive, exportRecords } from "./export.js";

/** What Halvik counts, counted again by grep over the raw lines that it exports, less their header. */
let instance: TestInstance;
let client: pg.Client;
const directory = mkdtempSync(join(tmpdir(), "halvik-grep-"));
const DAY = 86_400_000_000;
const LINES = 4_000;
const WORDS =
  "link Link LINK linked uplink down Down up port Port port_7 user USER admin root failed Failed failure refused x y z a_b 10 100 1000 crane Crane cranes gate gateway disk-full disk full".split(
    " ",
  );

const scope = (text: string) => {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(`${text}: ${parsed.error.message}`);
  return {
    filter: parsed.filter,
    fromUs: 0,
    toUs: 4e15,
    directory: new SenderDirectory([]),
    nowUs: 0,
    budgetMs: 30_000,
    terms: new TermIndex(),
  };
};

const request = (format: ExportFormat, over: Partial<ExportRequest>): ExportRequest => ({
  ...scope(""),
  format,
  about: { filter: "", reading: "", by: "test" },
  present: (x) => x,
  ...over,
});

beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  const claim = await claimCollector(client, "test", "live");
  const writer = new BatchWriter(client, claim.number, null);
  const ids = new IdSource(claim.number, 0);
  const r = new Random(7, "grep");
  const at = 20_000 * DAY;
  const records = Array.from({ length: LINES }, (_, i) => {
    const words = Array.from({ length: r.int(3, 9) }, () => r.pick(WORDS));
    const line = words.map((w) => w + r.pick([" ", " ", " ", "-", "/", ": ", "(", ") "])).join("");
    const { content } = syslogRecord(Buffer.from(`<13>t: ${line.trim()}`), {
      receivedUs: at + i,
      zone: "UTC",
      clockOffsetUs: 0,
    });
    return { id: ids.next(at), sender: 1, endpoint: "t", copyOf: null, content };
  });
  await writer.commit({ number: 1, records, throughUs: at, runRules: false }, at);
  // most in parts, the rest not yet
  while (await indexNext(client, 900)) {}
  const file = createWriteStream(join(directory, "records.log"));
  const closed = new Promise<void>((done) => file.once("close", () => done()));
  const manifest = await exportRecords(client, request("raw", {}), file);
  await closed;
  expect(manifest).toMatchObject({ records: LINES, written: LINES });
  execFileSync("sed", ["-i", "s/^<13>t: //", join(directory, "records.log")]);
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
  rmSync(directory, { recursive: true, force: true });
});

const grep = (pipeline: string): number =>
  Number(
    execFileSync("sh", ["-c", `< ${join(directory, "records.log")} ${pipeline} | wc -l`], {
      env: { ...process.env, LC_ALL: "C" },
    }).toString(),
  );

test("every line is there", () => expect(grep("cat")).toBe(LINES));

const words = [...new Set(WORDS.map((w) => w.toLowerCase()))].filter((w) => !w.includes("-"));
const pairs = words.map((w, i) => [w, words[(i * 7 + 3) % words.length]!] as const);
test.each<[filter: string, pipeline: string]>([
  ...words.map((w): [string, string] => [`text has ${w}`, `grep -iw -- '${w}'`]),
  ...words.slice(0, 8).map((w): [string, string] => [`text has ${w}*`, `grep -iE -- '(^|[^A-Za-z0-9_])${w}'`]),
  ...words.slice(0, 8).map((w): [string, string] => [`text has *${w}*`, `grep -iF -- '${w}'`]),
  ...pairs.slice(0, 8).map(([a, b]): [string, string] => [`text has "${a} ${b}"`, `grep -iF -- '${a} ${b}'`]),
  ...pairs
    .slice(8, 16)
    .map(([a, b]): [string, string] => [
      `text has ${a} and not text has ${b}`,
      `grep -iw -- '${a}' | grep -ivw -- '${b}'`,
    ]),
  ...pairs
    .slice(16, 22)
    .map(([a, b]): [string, string] => [`text has ${a} or text has ${b}`, `grep -iwE -- '${a}|${b}'`]),
  ["text matches /(up|down)link/", "grep -iE '(up|down)link'"],
  ["text matches /^link.*full$/", "grep -iE '^link.*full$'"],
  ['text like "*gate?port*"', "grep -iE 'gate.port'"],
])("%s", async (filter, pipeline) => {
  const { total, exact } = await histogram(client, scope(filter), DAY);
  expect([total, exact]).toEqual([grep(pipeline), true]);
});

describe("messages as they came", () => {
  const exported = async (format: "raw" | "pcap", lines: readonly string[]) => {
    const claim = await claimCollector(client, `export ${format}`, "live");
    const at = 20_100 * DAY;
    const ids = new IdSource(claim.number, 0);
    const records = lines.map((line, i) => ({
      id: ids.next(at),
      sender: 1,
      endpoint: "t",
      copyOf: null,
      content: syslogRecord(Buffer.from(line), { receivedUs: at + i, zone: "UTC", clockOffsetUs: 0 }).content,
    }));
    await new BatchWriter(client, claim.number, null).commit(
      { number: claim.lastBatch + 1, records, throughUs: at, runRules: false },
      at,
    );
    const out = new PassThrough();
    const bytes: Buffer[] = [];
    out.on("data", (b: Buffer) => bytes.push(b));
    const directory = new SenderDirectory([newSender(1, "fw", { addresses: ["192.0.2.1"] })]);
    await exportRecords(client, request(format, { directory, fromUs: at, toUs: at + DAY }), out);
    await once(out, "end");
    return Buffer.concat(bytes);
  };

  test("raw: a line end can be told from what is written like one", async () => {
    const messages = ["<13>a: C:\\new", "<13>a: one\ntwo", "<13>a: plain"];
    const lines = (await exported("raw", messages)).toString().trimEnd().split("\n");
    const back = lines.map((l) => l.replace(/\\(.)/g, (_, c: string) => (c === "n" ? "\n" : c === "r" ? "\r" : c)));
    expect(back.sort()).toEqual([...messages].sort());
  });
  test("pcap: a firewall's decision that came as syslog is written as it came", async () => {
    const decision =
      "<4>Nov 24 10:00:00 fw kernel: DROP IN=eth0 OUT= SRC=10.0.0.1 DST=10.0.0.2 LEN=60 PROTO=TCP SPT=1 DPT=22 SYN";
    expect((await exported("pcap", [decision])).toString("latin1")).toContain(decision);
  });
});

test("one that may not go on, or that nobody takes any more, ends without proof", async () => {
  const refused = new PassThrough();
  const gone = new PassThrough();
  gone.destroy();
  expect(await exportRecords(client, request("raw", {}), refused.resume(), "a", async () => false)).toBeNull();
  expect(refused.destroyed).toBe(true);
  expect(await exportRecords(client, request("raw", {}), gone)).toBeNull();
  const archive = new PassThrough();
  expect(await exportArchive(client, request("raw", {}), archive.resume(), async () => false)).toBeNull();
  expect(archive.destroyed).toBe(true);
});
