import { type ChildProcess, spawn } from "node:child_process";
import { once } from "node:events";
import { readFileSync, writeFileSync } from "node:fs";
import { createServer, get, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join, resolve } from "node:path";
import pg from "pg";
import { endpointStates } from "../domains/intake/endpoints/repository.js";
import { connectionOf } from "../kernel/db/pool.js";
import { RoleProcess } from "./roles.js";
import { runInside } from "./run-inside.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** Packets of an interface, read as they go by: tcpdump, the command, the real collector, PostgreSQL. */
const HERE = "127.78.0.1";
let instance: TestInstance;
let collector: RoleProcess;
let web: Server;
let tokenFile: string;

beforeAll(async () => {
  instance = await startTestInstance();
  await runInside(instance.env, ["senders", "import", "-"], "name,addresses\nprobe-1,127.0.0.1\n");
  collector = await RoleProcess.start(instance, "collector");
  web = createServer((_req, res) => res.end("seen")).listen(0, HERE);
  await once(web, "listening");
  tokenFile = join(instance.config.HALVIK_DATA_DIR, "probe-token");
  writeFileSync(tokenFile, (await runInside(instance.env, ["token", "create", "probe", "--intake"])).out);
});
afterAll(async () => {
  web?.close();
  await collector?.stop();
  await instance?.dispose();
});

const portOf = () => (web.address() as AddressInfo).port;
const fetched = (path: string) =>
  new Promise<void>((done, failed) => {
    get({ host: HERE, port: portOf(), path, agent: false }, (res) => {
      res.resume().once("end", done);
    }).once("error", failed);
  });

/** Begins to sniff; told when it reads. */
async function sniff(
  ...args: readonly string[]
): Promise<{ child: ChildProcess; ended: Promise<{ code: number | null; said: string }> }> {
  const child = spawn(
    process.execPath,
    [
      resolve("packages/server/dist/halvik.js"),
      "sniff",
      "--interface",
      "lo",
      "--filter",
      `tcp port ${portOf()}`,
      ...args,
    ],
    { env: { ...instance.env, NODE_OPTIONS: "" }, stdio: ["ignore", "pipe", "pipe"] },
  );
  let said = "";
  for (const stream of [child.stdout!, child.stderr!])
    stream.on("data", (b: Buffer) => {
      said += b.toString();
    });
  const ended = once(child, "close").then(([code]) => ({ code: code as number | null, said }));
  await eventually(
    "it reads",
    () => Promise.resolve(said),
    (text) => text.includes("Reading") || child.exitCode !== null,
  );
  return { child, ended };
}

async function stored(sql: string): Promise<{ n: number; app?: string }[]> {
  const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  const { rows: segments } = await client.query<{ name: string; shape: string }>("select name, shape from segment");
  const found = [];
  for (const { name } of segments.filter((s) => sql.includes("src_port") === (s.shape === "flow")))
    found.push(...(await client.query(sql.replace("SEGMENT", `segments.${name}`))).rows);
  await client.end();
  return found;
}

test("requests are records and flows within seconds, live, from an unprivileged process; nothing of its own is told", async () => {
  const { child, ended } = await sniff("--token-file", tokenFile);
  // who reads the packets is root no more, nor is what brings them
  const uid = /^Uid:\s+(\d+)/m.exec(readFileSync(`/proc/${child.pid}/status`, "utf8"))?.[1];
  if (process.getuid?.() === 0) expect(uid).not.toBe("0");
  await fetched("/one?secret=1");
  await fetched("/two");
  const http = await eventually(
    "requests",
    () => stored("select data::text as data, app from SEGMENT where app = 'http' order by time"),
    (rows) => rows.length >= 2,
  );
  expect(JSON.stringify(http)).toContain("/one?…");
  expect(JSON.stringify(http)).not.toContain("secret");
  // a flow is told a second after its connection has ended
  const flows = await eventually(
    "flows",
    () => stored(`select dst_port, packets::int as n from SEGMENT where dst_port = ${portOf()} and src_port > 0`),
    (rows) => rows.length >= 2,
  );
  expect(flows.length).toBe(2);
  // what it sends itself is on the same interface, and would be told of for ever
  await new Promise((r) => setTimeout(r, 2_500));
  expect((await stored("select 1 as n from SEGMENT where app in ('http', 'tls')")).length).toBe(2);
  child.kill("SIGINT");
  const { code, said } = await ended;
  expect({ code, said }).toMatchObject({
    code: 0,
    said: expect.stringMatching(
      /4 records and \d+ datagrams of flows sent; 0 packets dropped by the kernel, 0 not readable, 0 records lost/,
    ),
  });
});

test("while the collector is away records wait, and are there once when it is back", async () => {
  const { child, ended } = await sniff("--token-file", tokenFile);
  await collector.kill();
  await fetched("/waits");
  await new Promise((r) => setTimeout(r, 3_000));
  collector = await RoleProcess.start(instance, "collector");
  await eventually(
    "it is there",
    () => stored("select 1 as n from SEGMENT where app = 'http' and data::text like '%/waits%'"),
    (rows) => rows.length >= 1,
  );
  child.kill("SIGINT");
  expect((await ended).said).toMatch(/ 0 records lost/);
  expect(await stored("select 1 as n from SEGMENT where app = 'http' and data::text like '%/waits%'")).toHaveLength(1);
});

test.each<[string, () => string[], RegExp]>([
  ["a token that is none", () => ["--token-file", tokenOf("not-a-token")], /does not take the token: make one with/],
  ["an expression tcpdump cannot read", () => ["--token-file", tokenFile, "--filter", "prot 80"], /prot|syntax/],
  ["no octets", () => ["--token-file", tokenFile, "--snap", "1"], /--snap: expected 64 to/],
  [
    "no certificate",
    () => ["--token-file", tokenFile, "--certificate", "/nowhere.pem"],
    /there is no certificate \/nowhere\.pem/,
  ],
  ["no such interface", () => ["--token-file", tokenFile, "--interface", "no-such0"], /no-such0/],
])("%s ends it with a sentence", async (_, args, sentence) => {
  const { ended } = await sniff(...args());
  await fetched("/again");
  const { code, said } = await ended;
  expect({ code, said }).toMatchObject({ code: 1, said: expect.stringMatching(sentence) });
  expect(said).not.toMatch(/\n\s+at /);
});

function tokenOf(text: string): string {
  const file = join(instance.config.HALVIK_DATA_DIR, "other-token");
  writeFileSync(file, text);
  return file;
}

test("an endpoint of a collector that may not capture says what to do, and the others go on", async () => {
  const endpoint = (...args: readonly string[]) => runInside(instance.env, ["endpoints", ...args]);
  expect((await endpoint("add", "probe", "--kind", "packets")).err).toMatch(/--interface: name the interface/);
  expect((await endpoint("add", "probe", "--kind", "packets", "--interface", "-w")).code).toBe(1);
  await endpoint("add", "probe", "--kind", "packets", "--interface", "lo");
  const failed = await eventually(
    "it says what to do",
    () => stateOf("probe"),
    (s) => s?.state === "failed",
  );
  expect(failed?.detail).toMatch(/tcpdump may not capture: .*HALVIK_COLLECTOR_CAPTURES=true/);
  expect((await stateOf("syslog over UDP"))?.state).toBe("listening");
  await endpoint("remove", "probe");
  await eventually(
    "it is gone",
    () => stateOf("probe"),
    (s) => s === null,
  );
});

async function stateOf(
  name: string,
): Promise<{ state: string; detail: string; counters: Record<string, number> } | null> {
  const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  const state = (await endpointStates(client)).get(name);
  await client.end();
  return state ?? null;
}
