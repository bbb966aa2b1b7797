import { execFile, execFileSync, spawn } from "node:child_process";
import { createSocket } from "node:dgram";
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { request } from "node:https";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { connect as tlsConnect } from "node:tls";
import { promisify } from "node:util";
import { gzipSync } from "node:zlib";
import { usmUser } from "@halvik/core/decode/snmp";
import type { HalvikRecord } from "@halvik/core/model/record";
import { SenderDirectory } from "@halvik/core/model/senders";
import { parseFilter } from "@halvik/core/query/filter";
import { Timeline } from "@halvik/simulator";
import pg from "pg";
import { bytes } from "../../../core/src/testing/bytes.js";
import { flowSet, ipfixMessage, templateBody } from "../../../core/src/testing/flow-bytes.js";
import { LIVE_STORY_EVERY_MINUTES } from "../cli/simulate.js";
import type { RefusedCommunity } from "../domains/intake/arrivals/endpoint.js";
import { admitCommunity, communityDigest } from "../domains/intake/endpoints/communities.js";
import { refusedCommunity } from "../domains/intake/endpoints/communities-repository.js";
import { loadEndpoints, saveSnmpUser } from "../domains/intake/endpoints/repository.js";
import { tryEndpoint } from "../domains/intake/endpoints/try-endpoint.js";
import { loadSenders } from "../domains/intake/senders/repository.js";
import { flowsWaiting } from "../domains/intake/streams/repository.js";
import { connectionOf } from "../kernel/db/pool.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";
import { certificateFile, fingerprintOf, tlsIdentity } from "../kernel/tls/tls-identity.js";
import { searchRecords } from "../store/search.js";
import { TermIndex } from "../store/term-index.js";
import { freePort } from "./free-port.js";
import { RoleProcess } from "./roles.js";
import { runInside } from "./run-inside.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";
import { scriptRequest } from "./windows-script.js";

/** Every way in, through real sockets, with senders that are not ours where Debian has one. */
let instance: TestInstance;
let collector: RoleProcess;
let db: pg.Client;
let token = "";
const run = promisify(execFile);

const USERS = [
  {
    name: "lind",
    authProtocol: "sha1",
    authPassword: "harbour-light",
    privProtocol: "aes128",
    privPassword: "foghorn-123",
  },
  { name: "moe", authProtocol: "sha256", authPassword: "harbour-light" },
] as const;

beforeAll(async () => {
  instance = await startTestInstance();
  db = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await db.connect();
  for (const u of USERS) await saveSnmpUser(db, usmUser(nodeSnmpCrypto, u), null);
  await db.query("insert into admitted_network (network, added_by, added_us) values ('127.0.0.0/8', 'test', 0)");
  token = (await runInside(instance.env, ["token", "create", "forwarder", "--intake"])).out.trim();
  collector = await RoleProcess.start(instance, "collector");
}, 240_000);

afterAll(async () => {
  await collector?.stop();
  await db?.end();
  await instance?.dispose();
});

async function search(filter: string): Promise<HalvikRecord[]> {
  const directory = new SenderDirectory(await loadSenders(db, "UTC"));
  const parsed = parseFilter(filter, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  const page = await searchRecords(db, {
    filter: parsed.filter,
    fromUs: 0,
    toUs: 4e15,
    limit: 500,
    cursor: null,
    direction: "older",
    directory,
    nowUs: 0,
    budgetMs: 30_000,
    terms: new TermIndex(),
  });
  return [...page.records];
}
const found = (filter: string, n = 1) =>
  eventually(
    `${n} of ${filter}`,
    () => search(filter),
    (r) => r.length >= n,
  );
const endpoint = async (name: string): Promise<Record<string, number>> =>
  (await db.query<{ counters: Record<string, number> }>("select counters from endpoint where name = $1", [name]))
    .rows[0]?.counters ?? {};
const counted = (name: string, counter: string) =>
  eventually(
    `${counter} at ${name}`,
    () => endpoint(name),
    (c) => (c[counter] ?? 0) > 0,
  );

const SNMPTRAP = "/usr/bin/snmptrap";
const hasSnmp = existsSync(SNMPTRAP);

describe("SNMP, sent by Debian's command-line senders", () => {
  const target = () => `127.0.0.1:${instance.config.HALVIK_SNMP_PORT}`;
  const trap = (...args: string[]) =>
    run(SNMPTRAP, ["-Ln", "-m", "", ...args], { env: { PATH: process.env.PATH, SNMPCONFPATH: tmpdir() } });
  const IF_INDEX = "1.3.6.1.2.1.2.2.1.1.7";
  const IF_DESCR = "1.3.6.1.2.1.2.2.1.2.7";

  test("the sender is installed: bin/test sees to that", () => expect(hasSnmp).toBe(true));

  test("a community that nobody admitted is refused, counted, known by a letter alone, and admitted as it came", async () => {
    const send = () => trap("-v2c", "-c", "public", target(), "42", "1.3.6.1.4.1.32473.9.1");
    await send();
    const [refused] = await eventually(
      "the refused community",
      async () =>
        (
          await db.query<{ refused: RefusedCommunity[] }>(
            "select refused from endpoint where name = 'SNMP notifications'",
          )
        ).rows[0]?.refused ?? [],
      (r) => r.length > 0,
    );
    expect(refused).toMatchObject({ mask: "p•••", peer: "127.0.0.1", count: 1 });
    const samples = await eventually(
      "its sample",
      () => db.query<{ sample: Buffer }>("select sample from undecodable where endpoint = 'SNMP notifications'"),
      (r) => r.rows.length > 0,
    );
    expect(samples.rows[0]!.sample.includes("public")).toBe(false);
    expect(await search("event is 1.3.6.1.4.1.32473.9.1")).toEqual([]);
    await admitCommunity(
      db,
      "SNMP notifications",
      (await refusedCommunity(db, "SNMP notifications", refused!.digest))!,
    );
    await eventually(
      "a trap by it",
      async () => {
        await send();
        return search("event is 1.3.6.1.4.1.32473.9.1");
      },
      (r) => r.length > 0,
    );
  });

  test("v1 trap, generic link down", async () => {
    await trap(
      "-v1",
      "-c",
      "public",
      target(),
      "1.3.6.1.4.1.32473.1",
      "10.20.1.13",
      "2",
      "0",
      "100",
      IF_INDEX,
      "i",
      "7",
      IF_DESCR,
      "s",
      "ge0/7",
    );
    const [r] = await found("event is 1.3.6.1.6.3.1.1.5.3 and host is 10.20.1.13");
    expect(r).toMatchObject({ kind: "snmp", category: "link", outcome: "failure", severity: 3, interface: "ge0/7" });
    expect(r!.data).toContainEqual(["version", "v1"]);
  });
  test("v2c trap with every common type", async () => {
    await trap(
      "-v2c",
      "-c",
      "public",
      target(),
      "42",
      "1.3.6.1.4.1.32473.5.1",
      "1.3.6.1.4.1.32473.5.2",
      "C",
      "18446744073709551615",
      "1.3.6.1.4.1.32473.5.3",
      "x",
      "00ff10",
      "1.3.6.1.4.1.32473.5.4",
      "a",
      "192.0.2.77",
      "1.3.6.1.4.1.32473.5.5",
      "u",
      "4294967295",
      "1.3.6.1.4.1.32473.5.6",
      "o",
      "1.3.6.1.4.1",
    );
    const [r] = await found("event is 1.3.6.1.4.1.32473.5.1");
    expect(r!.data).toEqual(
      expect.arrayContaining([
        ["1.3.6.1.4.1.32473.5.2", "18446744073709551615"],
        ["1.3.6.1.4.1.32473.5.3", "0x00ff10"],
        ["1.3.6.1.4.1.32473.5.4", "192.0.2.77"],
        ["1.3.6.1.4.1.32473.5.5", "4294967295"],
        ["1.3.6.1.4.1.32473.5.6", "1.3.6.1.4.1"],
      ]),
    );
    expect(r!.otherAddresses).toContain("192.0.2.77");
  });
  test("v2c inform: acknowledged, so the sender is content", async () => {
    await trap("-Ci", "-v2c", "-c", "public", "-r", "2", "-t", "3", target(), "42", "1.3.6.1.4.1.32473.6.1");
    expect(await search("event is 1.3.6.1.4.1.32473.6.1")).toHaveLength(1);
  });
  test("v3 trap with authentication and privacy, engine of the sender", async () => {
    await trap(
      "-v3",
      "-e",
      "0x80007ed90311223344",
      "-u",
      "lind",
      "-l",
      "authPriv",
      "-a",
      "SHA",
      "-A",
      "harbour-light",
      "-x",
      "AES",
      "-X",
      "foghorn-123",
      target(),
      "42",
      "1.3.6.1.4.1.32473.7.1",
    );
    const [r] = await found("event is 1.3.6.1.4.1.32473.7.1");
    expect(r!.data).toEqual(
      expect.arrayContaining([
        ["version", "v3"],
        ["security name", "lind"],
        ["engine id", "80007ed90311223344"],
      ]),
    );
  });
  test("v3 inform: discovery answered, time told, acknowledged with privacy", async () => {
    await trap(
      "-Ci",
      "-v3",
      "-u",
      "lind",
      "-l",
      "authPriv",
      "-a",
      "SHA",
      "-A",
      "harbour-light",
      "-x",
      "AES",
      "-X",
      "foghorn-123",
      "-r",
      "2",
      "-t",
      "3",
      target(),
      "42",
      "1.3.6.1.4.1.32473.7.2",
    );
    expect(await search("event is 1.3.6.1.4.1.32473.7.2")).toHaveLength(1);
  });
  test("v3 with SHA-256, no privacy", async () => {
    await trap(
      "-Ci",
      "-v3",
      "-u",
      "moe",
      "-l",
      "authNoPriv",
      "-a",
      "SHA-256",
      "-A",
      "harbour-light",
      "-r",
      "2",
      "-t",
      "3",
      target(),
      "42",
      "1.3.6.1.4.1.32473.7.3",
    );
    expect(await search("event is 1.3.6.1.4.1.32473.7.3")).toHaveLength(1);
  });
  test("a wrong password and an unknown user are refused, counted, and their last samples kept", async () => {
    const send = (user: string, password: string) =>
      trap(
        "-v3",
        "-e",
        "0x80007ed903112233",
        "-u",
        user,
        "-l",
        "authNoPriv",
        "-a",
        "SHA-256",
        "-A",
        password,
        target(),
        "42",
        "1.3.6.1.4.1.32473.8.1",
      ).catch(() => undefined);
    await send("moe", "wrong-password");
    await send("nobody", "harbour-light");
    await counted("SNMP notifications", "refused: wrong password or community");
    await counted("SNMP notifications", "refused: unknown user");
    expect(await search("event is 1.3.6.1.4.1.32473.8.1")).toEqual([]);
    await eventually(
      "samples of both",
      () => db.query<{ code: string }>("select distinct code from undecodable where endpoint = 'SNMP notifications'"),
      ({ rows }) => ["NOT_AUTHENTIC", "UNKNOWN_USER"].every((code) => rows.some((r) => r.code === code)),
    );
  });
});

describe("flows over UDP", () => {
  const send = async (port: number, payload: Uint8Array) => {
    const socket = createSocket("udp4");
    await new Promise<void>((done) => socket.send(payload, port, "127.0.0.1", () => done()));
    socket.close();
  };
  const seconds = Math.floor(Date.now() / 1000);
  const TEMPLATE = flowSet(
    2,
    templateBody(400, [
      [8, 4],
      [12, 4],
      [7, 2],
      [11, 2],
      [4, 1],
      [1, 4],
      [2, 4],
      [10, 4],
      [14, 4],
      [5, 1],
      [153, 8],
    ]),
  );
  const data = (port: number) =>
    flowSet(
      400,
      bytes()
        .ip("10.20.1.5")
        .ip("192.0.2.9")
        .u16(50_000, port)
        .u8(6)
        .u32(1_234_567, 900, 3, 4)
        .u8(184)
        .u64(BigInt(seconds) * 1000n)
        .done(),
    );

  test("data before its template, then the template; fields of flows are searched", async () => {
    const port = instance.config.HALVIK_IPFIX_PORT;
    await send(port, ipfixMessage({ exportSeconds: seconds, sequence: 0, domain: 9 }, data(443)));
    await send(port, ipfixMessage({ exportSeconds: seconds, sequence: 1, domain: 9 }, TEMPLATE, data(8443)));
    await found("kind is flow and dst port in 443, 8443", 2);
    for (const filter of [
      "ingress is 3 and egress is 4",
      "dscp is 46",
      "bytes over 1 MB",
      "address within 10.20.0.0/16 and kind is flow",
      "not dst port is 80 and protocol is 6 and kind is flow",
    ])
      expect({ filter, n: (await search(filter)).length }).toEqual({ filter, n: 2 });
    expect(await search("kind is flow and text has 443")).toEqual([]);
    // what waits for a template that never comes is said of its stream
    await send(port, ipfixMessage({ exportSeconds: seconds, sequence: 0, domain: 77 }, data(443)));
    const waits = await eventually(
      "what waits",
      () => flowsWaiting(db),
      (w) => w.length === 1,
    );
    expect(waits[0]).toMatchObject({ stream: expect.stringMatching(/ IPFIX 77$/), sets: 1 });
    await eventually(
      "the template is kept",
      () => db.query("select key from flow_domain"),
      (r) => r.rows.length >= 1,
    );
  });
  test("after a kill -9 the template is still known", async () => {
    await collector.kill();
    collector = await RoleProcess.start(instance, "collector");
    await send(
      instance.config.HALVIK_IPFIX_PORT,
      ipfixMessage({ exportSeconds: seconds, sequence: 2, domain: 9 }, data(9_443)),
    );
    await found("kind is flow and dst port is 9443");
  });
  test("what is no flow is counted, with its sample", async () => {
    await send(instance.config.HALVIK_NETFLOW_PORT, Buffer.from("no flow at all, sorry"));
    await eventually(
      "a sample",
      () => db.query("select code from undecodable where endpoint = 'flows, NetFlow'"),
      (r) => r.rows.length === 1,
    );
  });
});

describe("over HTTPS with a token", () => {
  const post = (path: string, body: Buffer | string, headers: Record<string, string> = {}) =>
    new Promise<{ status: number; body: Record<string, unknown> }>((done, failed) => {
      const req = request(
        {
          host: "127.0.0.1",
          port: instance.config.HALVIK_INTAKE_PORT,
          path,
          method: "POST",
          rejectUnauthorized: false,
          headers: { authorization: `Bearer ${token}`, ...headers },
        },
        (res) => {
          let text = "";
          res.on("data", (b: Buffer) => {
            text += b.toString();
          });
          res.on("end", () => done({ status: res.statusCode!, body: JSON.parse(text) as Record<string, unknown> }));
        },
      );
      req.on("error", failed);
      req.end(body);
    });
  const event = (id: number, name = "k.lind") =>
    `<Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><Provider Name="Microsoft-Windows-Security-Auditing"/><EventID>${id}</EventID><Level>0</Level><Keywords>0x8010000000000000</Keywords><TimeCreated SystemTime="${new Date().toISOString()}"/><Channel>Security</Channel><Computer>dc-1.orvane.example</Computer></System><EventData><Data Name="TargetUserName">${name}</Data><Data Name="IpAddress">203.0.113.9</Data></EventData></Event>`;

  test("Windows events: several, gzip; the answer comes when they are searchable", async () => {
    const answer = await post("/windows", gzipSync(`<Events>${event(4625)}${event(4625, "r.moe")}<Event/></Events>`), {
      "content-encoding": "gzip",
    });
    expect(answer).toMatchObject({ status: 200, body: { stored: 2, refused: 1, reasons: [{ code: "BAD_XML" }] } });
    expect(await search("event is 4625 and log is Security and src is 203.0.113.9")).toHaveLength(2);
    expect(await search('user is "r.moe" and outcome is failure and level is "level 0, audit failure"')).toHaveLength(
      1,
    );
  });
  test("what the script for Windows writes is taken, and once", async () => {
    const written = (record: number) =>
      `<Event xmlns='http://schemas.microsoft.com/win/2004/08/events/event'><System><Provider Name='EventLog'/><EventID Qualifiers='32768'>6005</EventID><Level>4</Level><TimeCreated SystemTime='${new Date().toISOString()}'/><EventRecordID>${record}</EventRecordID><Channel>System</Channel><Computer>files-8</Computer></System><EventData><Data>razorbill ø</Data></EventData></Event>`;
    const { path, body, headers } = scriptRequest([written(1), written(2)]);
    for (let time = 0; time < 2; time++)
      expect(await post(path, body, headers)).toMatchObject({ status: 200, body: { stored: 2, refused: 0 } });
    expect(await search('razorbill and event is "6005" and log is System')).toHaveLength(2);
  });
  test("JSON records: an array, lines, and what is refused", async () => {
    expect(
      await post(
        "/json",
        JSON.stringify([{ message: "crane 4 stopped", severity: "error", src: "10.20.2.5", load: { t: 12 } }, 7]),
      ),
    ).toMatchObject({ status: 200, body: { stored: 1, refused: 1 } });
    const [r] = await search('text has "crane 4"');
    expect(r).toMatchObject({ kind: "json", severity: 3, src: "10.20.2.5", data: [["load.t", "12"]] });
    expect(await post("/json", '{"message":"osprey"}\n{"message":"osprey"}\nnot json\n')).toMatchObject({
      body: { stored: 2, refused: 1 },
    });
  });
  test("a small body that unfolds to millions of records or to a tangle of comments ends nobody's work", async () => {
    const gzip = { "content-encoding": "gzip" };
    const [many, tangle, innocent] = await Promise.all([
      post("/json", gzipSync(`[${"{},".repeat(5_000_000)}{}]`), gzip),
      post("/windows", gzipSync("<Event><!--".repeat(1_400_000)), gzip),
      post("/json", '{"message":"fulmar beside them"}'),
    ]);
    expect(many.body).toMatchObject({ reasons: [{ code: "TOO_LONG" }] });
    expect(tangle.status).toBe(400);
    expect(innocent).toMatchObject({ status: 200, body: { stored: 1 } });
  });
  test("a request sent again with its key is answered alike and stored once, over a restart of the collector", async () => {
    const again = () => post("/json", '{"message":"petrel 1"}\n{"message":"petrel 2"}', { "idempotency-key": "one" });
    expect(await again()).toMatchObject({ status: 200, body: { stored: 2 } });
    expect(await again()).toMatchObject({ status: 200, body: { stored: 2 } });
    await collector.kill();
    collector = await RoleProcess.start(instance, "collector");
    expect(await again()).toMatchObject({ status: 200, body: { stored: 2 } });
    expect(await post("/json", '{"message":"petrel 3"}', { "idempotency-key": "two" })).toMatchObject({
      body: { stored: 1 },
    });
    // what was answered may lie in the spool still
    await eventually(
      "stored",
      () => search("petrel"),
      (r) => r.length >= 3,
    );
    expect(await search("petrel")).toHaveLength(3);
  });
  test("a Windows event is stored once, whoever sends it again, however much later and in which request, over a restart", async () => {
    const written = (record: number, at: string, more = "") =>
      `<Event><System><Provider Name="Halvik-Test"/><EventID>77</EventID><Level>4</Level><TimeCreated SystemTime="${at}"/><EventRecordID>${record}</EventRecordID><Channel>Application</Channel><Computer>files-9</Computer></System><EventData><Data Name="x">skua</Data></EventData>${more}</Event>`;
    const at = new Date().toISOString();
    const skuas = () => search("skua");
    expect(await post("/windows", written(1, at) + written(2, at))).toMatchObject({ body: { stored: 2 } });
    // one of before, one that is new, one that has another number and one that was written after its log was cleared
    const more = () =>
      post("/windows", written(2, at, "<RenderingInfo/>") + written(3, at) + written(1, at.replace("Z", "1Z")));
    expect(await more()).toMatchObject({ status: 200, body: { stored: 3 } });
    await collector.kill();
    // ten minutes are over for requests; a log is read again after days
    await db.query("update request_seen set until_us = until_us - 3600000000");
    collector = await RoleProcess.start(instance, "collector");
    expect(await more()).toMatchObject({ status: 200, body: { stored: 3 } });
    await eventually("stored", skuas, (r) => r.length >= 4);
    expect(await skuas()).toHaveLength(4);
  });
  test("an event that was refused is new when it comes again", async () => {
    const written = (record: number) =>
      `<Event><System><Provider Name="Halvik-Test"/><EventID>77</EventID><TimeCreated SystemTime="2026-11-24T10:00:00Z"/><EventRecordID>${record}</EventRecordID><Channel>Application</Channel><Computer>files-9</Computer></System><EventData><Data Name="x">guillemot ${record}</Data></EventData></Event>`;
    const hear = (state: string) =>
      db.query(
        "update sender set state = $1 where id = (select sender from sender_address where address = '127.0.0.1')",
        [state],
      );
    const stored = (a: { body: { stored?: number } }) => a.body.stored === 1;
    let record = 100;
    await hear("refused");
    try {
      // until the collector has heard of it, each is stored, and then known
      await eventually(
        "refused",
        () => post("/windows", written(++record)),
        (a) => a.body.refused === 1,
      );
    } finally {
      await hear("admitted");
    }
    await eventually("taken", () => post("/windows", written(record)), stored);
    await eventually(
      "stored",
      () => search(`"guillemot ${record}"`),
      (r) => r.length > 0,
    );
    await post("/windows", written(record));
    expect(await search(`"guillemot ${record}"`)).toHaveLength(1);
  });
  test("a declared mapping, changed while running", async () => {
    await db.query("update endpoint_config set settings = $1 where kind = 'https'", [
      JSON.stringify({ mapping: { text: "msg", user: "who.name", time: "at" } }),
    ]);
    await eventually(
      "mapped",
      async () => {
        await post("/json", '{"msg":"gannet","who":{"name":"ORVANE\\\\k.lind"},"at":"2026-11-24T10:00:00Z"}');
        return search("gannet and user is k.lind");
      },
      (r) => r.length > 0,
    );
  });
  test("no token, a reading token, a document type, too much: refused with a reason", async () => {
    expect(await post("/json", "{}", { authorization: "Bearer nope" })).toMatchObject({ status: 401 });
    const reader = (await runInside(instance.env, ["token", "create", "reader"])).out.trim();
    expect(await post("/json", "{}", { authorization: `Bearer ${reader}` })).toMatchObject({ status: 401 });
    expect(await post("/windows", `<!DOCTYPE x [<!ENTITY a "b">]>${event(1)}`)).toMatchObject({
      status: 400,
      body: { stored: 0, reasons: [{ code: "FORBIDDEN_XML" }] },
    });
    expect(await post("/other", "")).toMatchObject({ status: 404 });
    expect(await post("/json", gzipSync(Buffer.alloc(20_000_000, 32)), { "content-encoding": "gzip" })).toMatchObject({
      status: 413,
    });
  });
});

describe("syslog over TLS, and endpoints that change while running", () => {
  test("octet-counted over TLS with the own certificate (RFC 5425)", async () => {
    await new Promise<void>((done, failed) => {
      const socket = tlsConnect(
        { host: "127.0.0.1", port: instance.config.HALVIK_SYSLOG_TLS_PORT, rejectUnauthorized: false },
        () => {
          const line = "<34>1 - dev app - - - puffin over TLS";
          socket.end(`${line.length} ${line}`, () => done());
        },
      );
      socket.on("error", failed);
    });
    expect(await found("puffin")).toMatchObject([{ endpoint: "syslog over TLS", severity: 2 }]);
  });
  test("Debian's logger, UDP and TCP", async () => {
    const args = [
      "--server",
      "127.0.0.1",
      "--port",
      String(instance.config.HALVIK_SYSLOG_UDP_PORT),
      "-p",
      "auth.crit",
      "--rfc5424",
    ];
    execFileSync("logger", [...args, "--udp", "kittiwake one"]);
    execFileSync("logger", [...args, "--tcp", "--octet-count", "kittiwake two"]);
    for (const r of await found("kittiwake", 2)) expect(r).toMatchObject({ severity: 2, facility: 4 });
  });
  test("a second endpoint of a kind is added, moved and stopped from the command line", async () => {
    const ports = [await freePort(), await freePort()];
    const log = (port: number, text: string) =>
      execFileSync("logger", ["--server", "127.0.0.1", "--port", String(port), "--udp", text]);
    expect(
      (
        await runInside(instance.env, [
          "endpoints",
          "add",
          "second ear",
          "--kind",
          "syslog-udp",
          "--port",
          String(ports[0]),
        ])
      ).code,
    ).toBe(0);
    await eventually(
      "heard there",
      async () => {
        log(ports[0]!, "shearwater one");
        return search('text has "shearwater one"');
      },
      (r) => r.length > 0,
    );
    await runInside(instance.env, ["endpoints", "set", "second ear", "--port", String(ports[1])]);
    await eventually(
      "heard at the other port",
      async () => {
        log(ports[1]!, "shearwater two");
        return search('text has "shearwater two"');
      },
      (r) => r.length > 0,
    );
    await runInside(instance.env, ["endpoints", "stop", "second ear"]);
    await eventually(
      "stopped",
      () => db.query("select 1 from endpoint where name = 'second ear' and state = 'listening'"),
      (r) => r.rows.length === 0,
    );
    expect((await runInside(instance.env, ["endpoints", "list"])).out).toContain("second ear");
  });
});

describe("files of every kind by bin/halvik import", () => {
  const dir = mkdtempSync(join(tmpdir(), "halvik-files-"));
  const file = (name: string, content: string | Buffer) => {
    writeFileSync(join(dir, name), content);
    return join(dir, name);
  };
  const importOne = (path: string, ...more: string[]) =>
    runInside(instance.env, ["import", path, "--peer", "127.0.0.1", ...more]);

  test("columns, gzip of JSON lines, event XML: a receipt each, and the records with their own times", async () => {
    const flows = file(
      "flows.log",
      "srcaddr dstaddr dstport protocol action start end\n10.9.9.1 10.9.9.2 80 6 ACCEPT 1764057600 1764057660\n10.9.9.1 10.9.9.2 443 6 REJECT 1764057600 1764057661\nshort row\n",
    );
    expect((await importOne(flows)).out).toContain("3 read, 3 stored");
    expect(await search("src is 10.9.9.1 and action is reject")).toMatchObject([
      { dstPort: 443, timeUs: 1_764_057_661_000_000 },
    ]);
    expect(await search("problem is BAD_COLUMNS")).toHaveLength(1);
    const json = file("records.json.gz", gzipSync('{"message":"dunlin"}\n{"message":"dunlin"}\n'));
    expect((await importOne(json)).out).toContain("2 read, 2 stored");
    const xml = file(
      "events.xml",
      '<?xml version="1.0"?><Events><Event><System><Provider Name="EventLog"/><EventID>6008</EventID><Level>2</Level><Computer>files-1</Computer></System></Event></Events>',
    );
    expect((await importOne(xml)).out).toContain("1 read, 1 stored");
    expect(await search("event is 6008")).toMatchObject([{ severity: 3, category: "system health" }]);
  });
  test("the same file twice says so and adds nothing", async () => {
    const path = file("twice.log", "<13>whimbrel\n");
    expect((await importOne(path)).code).toBe(0);
    const again = await importOne(path);
    expect([again.code, again.out]).toEqual([0, expect.stringContaining("was imported before")]);
    expect(await search("whimbrel")).toHaveLength(1);
  });
});

describe("certificates, users of one sender, the forwarder's bookmark", () => {
  test("a client certificate says which sender it is; without one of those, peers are refused on request", async () => {
    const client = await tlsIdentity(
      { ...instance.config, HALVIK_DATA_DIR: mkdtempSync(join(tmpdir(), "halvik-cert-")) },
      Date.now(),
    );
    await runInside(
      instance.env,
      ["senders", "import", "-"],
      `name,addresses,relay,site,groups,role,zone,reached through,expected every seconds,notes\nquay-box,10.77.0.1,no,,,,UTC,,,`,
    );
    await runInside(instance.env, [
      "endpoints",
      "set",
      "syslog over TLS",
      "--client",
      `${fingerprintOf(client.cert)}=10.77.0.1`,
      "--clients-only",
    ]);
    const send = (text: string, own: { key?: string; cert?: string }) =>
      new Promise<void>((done) => {
        const socket = tlsConnect(
          { host: "127.0.0.1", port: instance.config.HALVIK_SYSLOG_TLS_PORT, rejectUnauthorized: false, ...own },
          () => {
            const line = `<13>1 - h app - - - ${text}`;
            socket.end(`${line.length} ${line}`);
          },
        );
        socket.on("error", () => done());
        socket.on("close", () => done());
      });
    await eventually(
      "mapped by certificate",
      async () => {
        await send("razorbill", client);
        return search("razorbill and sender is quay-box");
      },
      (r) => r.length > 0,
    );
    await send("razorbill without", {});
    expect(await search('text has "razorbill without"')).toEqual([]);
    await counted("syslog over TLS", "refused: unknown certificate");
  });
  test("a user bound to a sender is refused from any other", async () => {
    expect(
      (
        await runInside(instance.env, [
          "snmp-users",
          "add",
          "quay",
          "--auth",
          "sha256",
          "--auth-password",
          "harbour-light",
          "--sender",
          "quay-box",
        ])
      ).code,
    ).toBe(0);
    await eventually(
      "refused",
      async () => {
        await run(SNMPTRAP, [
          "-Ln",
          "-m",
          "",
          "-v3",
          "-u",
          "quay",
          "-l",
          "authNoPriv",
          "-a",
          "SHA-256",
          "-A",
          "harbour-light",
          `127.0.0.1:${instance.config.HALVIK_SNMP_PORT}`,
          "42",
          "1.3.6.1.4.1.32473.9.9",
        ]).catch(() => undefined);
        return endpoint("SNMP notifications");
      },
      (c) => (c["refused: user of another sender"] ?? 0) > 0,
    );
    expect(await search("event is 1.3.6.1.4.1.32473.9.9")).toEqual([]);
    expect((await runInside(instance.env, ["snmp-users", "add", "x", "--sender", "nobody-here"])).code).toBe(1);
  });
  test("stand-in devices stopped and started again: no event twice, none left out in between", async () => {
    const file = join(instance.config.HALVIK_DATA_DIR, "token");
    writeFileSync(file, token);
    const events = () => search('kind is windows and host like "dc-1*" and data "record id" present');
    // until so many have come, however long that takes: how soon they do depends on the hour and on the machine
    const live = async (more: number) => {
      const before = (await events()).length;
      const child = spawn(
        process.execPath,
        ["packages/server/dist/halvik.js", "simulate", "live", "--rate", "200", "--token-file", file],
        { env: { ...instance.env, NODE_OPTIONS: "" }, stdio: "ignore" },
      );
      try {
        await eventually(`${more} more events`, events, (r) => r.length >= before + more, 100_000);
      } finally {
        child.kill("SIGTERM");
        await new Promise((done) => child.once("exit", done));
      }
    };
    await live(3);
    await live(3);
    const records = await events();
    const ids = records.map((r) => r.data.find(([n]) => n === "record id")![1]);
    expect(ids.length - new Set(ids).size).toBe(0);
    // what dc-1 had to say from the first of them to the last, by the stand-ins' own book
    const book = new Timeline({ seed: 1, storyEveryMinutes: LIVE_STORY_EVERY_MINUTES, rate: 200 }, nodeSnmpCrypto);
    const minutes = records.map((r) => Math.floor(r.receivedUs / 60e6));
    const said = Array.from({ length: Math.max(...minutes) - Math.min(...minutes) + 16 }, (_, i) =>
      book.minute(Math.min(...minutes) - 15 + i),
    )
      .flat()
      .filter((s) => s.protocol === "windows" && s.device.name === "dc-1")
      .sort((a, b) => a.arrivesUs - b.arrivesUs)
      .map((s) => /<EventRecordID>(\d+)</.exec(Buffer.from(s.payload).toString())![1]!);
    const places = ids.map((id) => said.indexOf(id));
    expect(said.slice(Math.min(...places), Math.max(...places) + 1).sort()).toEqual([...ids].sort());
  });
});

describe("a test message from Intake", () => {
  const tried = async (kind: string, host?: string) => {
    const endpoint = (await loadEndpoints(db, instance.config)).find((e) => e.kind === kind)!;
    const cert = readFileSync(certificateFile(instance.config), "utf8");
    return tryEndpoint({ ...endpoint, ...(host === undefined ? {} : { host }) }, kind, cert);
  };
  test.each(["syslog-udp", "syslog-tcp"])("%s", async (kind) => {
    await tried(kind);
    await found(`text has "sent from Intake by ${kind}"`);
  });
  test("syslog-tls, where it need not show a certificate of its own", async () => {
    const { rows } = await db.query(
      "select 1 from endpoint_config where kind = 'syslog-tls' and settings ? 'clientsOnly'",
    );
    if (rows.length > 0) await expect(tried("syslog-tls")).rejects.toMatchObject({ code: "BAD_REQUEST" });
    await db.query("update endpoint_config set settings = '{}' where kind = 'syslog-tls'");
    await eventually(
      "the message",
      async () => {
        await tried("syslog-tls");
        return search('text has "sent from Intake by syslog-tls"');
      },
      (r) => r.length > 0,
    );
  });
  test("flow", async () => {
    await tried("flow");
    await found("kind is flow and src is 192.0.2.1 and dst port is 443 and bytes is 60");
  });
  test("snmp: by a community that has to be admitted like any other", async () => {
    await admitCommunity(db, "SNMP notifications", { digest: communityDigest("halvik-test"), mask: "h•••" });
    await eventually(
      "the notification",
      async () => {
        await tried("snmp");
        return search("kind is snmp and event is coldStart");
      },
      (r) => r.length > 0,
    );
  });
  test("of what needs a token it is said; where nobody listens, too", async () => {
    await expect(tried("https")).rejects.toMatchObject({ code: "BAD_REQUEST" });
    await expect(tried("syslog-tcp", "127.9.9.9")).rejects.toMatchObject({ code: "CONFLICT" });
  });
});
