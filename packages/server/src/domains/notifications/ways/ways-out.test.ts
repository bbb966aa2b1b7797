import { createSocket } from "node:dgram";
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parseMib } from "@halvik/core/decode/mib";
import { hexOf, readMessage, SnmpReceiver, UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import {
  Channel,
  type CommandChannel,
  type LogFileChannel,
  MIB_ROOT,
  type SnmpChannel,
} from "@halvik/core/respond/notify";
import snmp, { type Received } from "net-snmp";
import { nowUs } from "../../../kernel/clock.js";
import { nodeSnmpCrypto } from "../../../kernel/snmp-crypto.js";
import { freePort } from "../../../testing/free-port.js";
import { namesWith } from "../../names/mibs.js";
import { runCommand } from "./command.js";
import { writeLogFile } from "./log-file.js";
import { engineIdOf, sendSnmp } from "./snmp.js";
import type { Outgoing } from "./way.js";

const INCIDENT = {
  id: 7,
  title: "Guessing at vpn-1 ö\u0007",
  severity: "critical",
  state: "open",
  first: "",
  last: "",
  count: 46,
  entities: [],
};
const outgoing = (over: Partial<Outgoing> = {}): Outgoing => ({
  id: "6f0c0000-0000-4000-8000-000000000001",
  tells: "raise",
  notification: "duty",
  write: () => ({ subject: "Halvik · raised: Guessing", text: "all of it\n", html: "", language: "en" }),
  about: [
    { tell: "raise", detail: { incident: INCIDENT, rules: [] } as never, link: "https://halvik.example/incidents/7" },
  ],
  thread: null,
  acknowledgeUrl: null,
  reached: [],
  ...over,
});

let dir: string;
beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), "halvik-ways-"));
});
afterEach(() => rmSync(dir, { recursive: true, force: true }));

describe("SNMP", () => {
  const channelOf = (over: object): SnmpChannel =>
    Channel.parse({ kind: "snmp", name: "nms", host: "127.0.0.1", port: 1, ...over }) as SnmpChannel;
  const send = (over: object, more: object = {}, message = outgoing()) =>
    sendSnmp(
      {
        channel: channelOf(over),
        secret: "harbour wall",
        privacySecret: "tide table",
        allowed: ["127.0.0.1"],
        node: "one",
        nowUs,
        ...more,
      },
      message,
    );
  const wanted = (over: Record<string, unknown> = {}) => ({
    [`${MIB_ROOT}.1.1.0`]: outgoing().id,
    [`${MIB_ROOT}.1.2.0`]: "duty",
    [`${MIB_ROOT}.1.3.0`]: "Halvik · raised: Guessing",
    [`${MIB_ROOT}.1.4.0`]: 1,
    [`${MIB_ROOT}.1.5.0`]: 7,
    [`${MIB_ROOT}.1.6.0`]: "Guessing at vpn-1 ö ",
    [`${MIB_ROOT}.1.7.0`]: 2,
    [`${MIB_ROOT}.1.8.0`]: 46,
    [`${MIB_ROOT}.1.9.0`]: "https://halvik.example/incidents/7",
    ...over,
  });

  /** What another implementation reads of it: the receiver of the package net-snmp. */
  async function received(over: object): Promise<readonly { oid: string; bindings: Record<string, unknown> }[]> {
    const port = await freePort();
    const heard: { oid: string; bindings: Record<string, unknown> }[] = [];
    const receiver = snmp.createReceiver({ port, address: "127.0.0.1" }, (failed, got: Received) => {
      if (failed) throw failed;
      const bindings = Object.fromEntries(
        got.pdu.varbinds.map((v) => [v.oid, Buffer.isBuffer(v.value) ? v.value.toString("utf8") : v.value]),
      );
      heard.push({ oid: String(bindings["1.3.6.1.6.3.1.1.4.1.0"]), bindings });
    });
    const { SecurityLevel, AuthProtocols, PrivProtocols } = snmp;
    receiver.getAuthorizer().addCommunity("harbour wall");
    const keys = { authKey: "harbour wall", privKey: "tide table", privProtocol: PrivProtocols.aes };
    for (const hash of ["sha256", "sha512"] as const)
      receiver.getAuthorizer().addUser({
        name: hash,
        level: SecurityLevel.authPriv,
        authProtocol: AuthProtocols[hash],
        ...keys,
      });
    expect(await send({ port, ...over })).toEqual({ ok: true });
    for (let i = 0; i < 100 && heard.length === 0; i++) await new Promise((r) => setTimeout(r, 20));
    receiver.close();
    return heard;
  }

  test.each([
    ["a v2c trap", {}],
    ["a v2c inform, answered", { message: "inform" }],
    ["a v3 trap, authenticated and encrypted", { version: "v3", user: "sha256" }],
    [
      "a v3 inform, whose engine is asked for first",
      { version: "v3", user: "sha512", hash: "sha512", message: "inform" },
    ],
  ])("%s is read by another implementation as it was meant", async (_what, over) => {
    const [heard] = await received(over);
    expect(heard!.oid).toBe(`${MIB_ROOT}.0.1`);
    expect(heard!.bindings).toMatchObject(wanted());
  });

  test("v3 traps stay within the window of a receiver that keeps it, for as long as the process runs", async () => {
    const port = await freePort();
    const socket = createSocket("udp4");
    await new Promise<void>((ready) => socket.bind(port, "127.0.0.1", ready));
    const user = usmUser(nodeSnmpCrypto, {
      name: "duty",
      authProtocol: "sha256",
      authPassword: "harbour wall",
      privProtocol: "aes128",
      privPassword: "tide table",
    });
    const engine = { id: Uint8Array.of(1, 2, 3, 4, 5), boots: 1, timeAt: () => 1 };
    const receiver = new SnmpReceiver(new UsmUsers([user], nodeSnmpCrypto), () => false, engine, 0n);
    const at = nowUs();
    for (const laterS of [0, 100, 400, 90_000]) {
      const heard = new Promise<Buffer>((got) => socket.once("message", got));
      const later = at + laterS * 1e6;
      expect(await send({ port, version: "v3", user: "duty" }, { nowUs: () => later })).toEqual({ ok: true });
      const bytes = await heard;
      expect(receiver.receive(bytes, later)).toMatchObject({ type: "notification", notification: { user: "duty" } });
      const message = readMessage(bytes);
      expect(message.version === "v3" && hexOf(message.envelope.engineId)).toBe(engineIdOf("one"));
    }
    socket.close();
  });

  test("an inform that nobody answers has not arrived; inside addresses are refused", async () => {
    const socket = createSocket("udp4");
    await new Promise<void>((ready) => socket.bind(0, "127.0.0.1", ready));
    const ids: string[] = [];
    socket.on("message", (b) => {
      const message = readMessage(b);
      if (message.version !== "v3") ids.push(String(message.pdu.requestId));
    });
    expect(await send({ port: socket.address().port, message: "inform" })).toMatchObject({
      ok: false,
      permanent: false,
      why: expect.stringMatching(/timed out/i),
    });
    // sent again under one request id: a receiver that has it tells it from another one
    expect([ids.length, new Set(ids).size]).toEqual([3, 1]);
    socket.close();
    expect(await send({ host: "10.1.2.3" })).toMatchObject({ ok: false, permanent: true });
  }, 30_000);

  test("texts are cut at a character within 255 octets; a test tells of no incident", async () => {
    const long = outgoing({ tells: "test", about: [], notification: "ö".repeat(200) });
    const port = await freePort();
    const heard = received({});
    expect((await heard)[0]!.bindings[`${MIB_ROOT}.1.2.0`]).toBe("duty");
    const socket = createSocket("udp4");
    await new Promise<void>((ready) => socket.bind(port, "127.0.0.1", ready));
    const bytes = new Promise<Buffer>((got) => socket.once("message", got));
    await send({ port }, {}, long);
    const message = readMessage(await bytes);
    socket.close();
    if (message.version === "v3") throw new Error("expected v2c");
    expect(message.pdu.trapOid).toBe(`${MIB_ROOT}.0.6`);
    const name = message.pdu.varbinds.find((v) => v.oid === `${MIB_ROOT}.1.2.0`)!.value;
    expect(name.type === "octet string" && new TextDecoder("utf-8", { fatal: true }).decode(name.value)).toBe(
      "ö".repeat(127),
    );
    expect(message.pdu.varbinds).toHaveLength(6);
  });

  test("the module that ships names what is sent", () => {
    const source = readFileSync("packages/server/mibs/HALVIK-NOTIFY-MIB.mib", "utf8");
    expect(parseMib(source).map((m) => m.name)).toEqual(["HALVIK-NOTIFY-MIB"]);
    const names = namesWith([]);
    expect(names.problems).toEqual([]);
    for (const [oid, name] of [
      [".0.1", "halvikRaise"],
      [".0.6", "halvikTest"],
      [".1.1", "halvikMessageId"],
      [".1.9", "halvikIncidentLink"],
    ])
      expect(names.oid(name!)).toBe(`${MIB_ROOT}${oid}`);
  });
});

describe("a log file", () => {
  const channel = (over: object = {}) =>
    Channel.parse({ kind: "file", name: "log", file: "incidents.log", ...over }) as LogFileChannel;
  const write = (c: LogFileChannel, message = outgoing()) => writeLogFile({ channel: c, dir, nowUs: () => 0 }, message);

  test("gets a line of JSON a message; what a full disk cut off is not gone on with", async () => {
    writeFileSync(join(dir, "incidents.log"), '{"at": "cut o');
    expect(await write(channel())).toEqual({ ok: true });
    const [cut, line, end] = readFileSync(join(dir, "incidents.log"), "utf8").split("\n");
    expect([cut, end]).toEqual(['{"at": "cut o', ""]);
    expect(JSON.parse(line!)).toMatchObject({
      at: "1970-01-01T00:00:00.000000Z",
      id: outgoing().id,
      tells: "raise",
      incidents: [{ id: 7, link: "https://halvik.example/incidents/7" }],
    });
  });

  test("is put aside when it is full, and so many are kept", async () => {
    const c = channel({ megabytes: 1, keep: 2 });
    const filler = { subject: "s", text: "x".repeat(700_000), html: "", language: "en" };
    for (const id of ["a", "b", "c", "d"]) await write(c, outgoing({ id, write: () => filler }));
    expect(readdirSync(dir).sort()).toEqual(["incidents.log", "incidents.log.1", "incidents.log.2"]);
    const ids = ["incidents.log.2", "incidents.log.1", "incidents.log"].map(
      (f) => (JSON.parse(readFileSync(join(dir, f), "utf8")) as { id: string }).id,
    );
    expect(ids).toEqual(["b", "c", "d"]);
    await write({ ...c, keep: 1 }, outgoing({ id: "e", write: () => filler }));
    expect(readdirSync(dir).sort()).toEqual(["incidents.log", "incidents.log.1"]);
  });

  test("that cannot be written is tried again, with the reason", async () => {
    expect(
      await writeLogFile({ channel: channel(), dir: join(dir, "none"), nowUs: () => 0 }, outgoing()),
    ).toMatchObject({
      ok: false,
      permanent: false,
      why: expect.stringContaining("ENOENT"),
    });
  });

  test.each(["../x.log", "/etc/x.log", "x", "a b.log", ".log", "x.log.1"])("“%s” is no name of one", (file) =>
    expect(Channel.safeParse({ kind: "file", name: "log", file }).success).toBe(false),
  );
});

describe("a program", () => {
  const script = (name: string, text: string): string => {
    const path = join(dir, name);
    writeFileSync(path, text);
    chmodSync(path, 0o755);
    return path;
  };
  const run = (path: string, args: readonly string[] = []) =>
    runCommand(
      {
        channel: Channel.parse({ kind: "command", name: "siren", program: "siren", args }) as CommandChannel,
        programs: new Map([["siren", path]]),
      },
      outgoing(),
    );

  test("has its arguments as they are, the message to read, and nothing of Halvik's environment", async () => {
    process.env.HALVIK_SECRET_OF_TEST = "not for others";
    const path = script("ok", `#!/bin/sh\n{ for a in "$@"; do echo "<$a>"; done; env; cat; } > ${dir}/out\n`);
    expect(await run(path, ["$(id)", "a b", "; rm -rf /", "-x"])).toEqual({ ok: true });
    const out = readFileSync(join(dir, "out"), "utf8");
    expect(out).toMatch(/^<\$\(id\)>\n<a b>\n<; rm -rf \/>\n<-x>\n/);
    expect(out).toContain(`HALVIK_MESSAGE_ID=${outgoing().id}`);
    expect(out).not.toContain("not for others");
    expect(out).toContain('"subject":"Halvik · raised: Guessing"');
  });

  test.each([
    [
      "fails with what it says",
      "#!/bin/sh\necho 'no \u001b[31m horn' >&2\nexit 3\n",
      /^it ended with 3: no \[31m horn$/,
    ],
    ["does not read the message", "#!/bin/sh\nexit 0\n", null],
    ["leaves another one behind", "#!/bin/sh\nsleep 60 &\nexit 0\n", null],
    ["leaves another one behind in a session of its own", "#!/bin/sh\nsetsid sleep 60 &\nexit 0\n", null],
  ])("one that %s", async (_what, text, why) => {
    const began = Date.now();
    expect(await run(script("p", text))).toEqual(
      why === null ? { ok: true } : { ok: false, permanent: false, why: expect.stringMatching(why) },
    );
    expect(Date.now() - began).toBeLessThan(50_000);
  });

  test("that is not there, or none the administrator allows, is not tried again", async () => {
    expect(await run(join(dir, "none"))).toMatchObject({ ok: false, permanent: true });
    const channel = Channel.parse({
      kind: "command",
      name: "n",
      program: "sh",
      args: ["-c", "true"],
    }) as CommandChannel;
    expect(await runCommand({ channel, programs: new Map() }, outgoing())).toMatchObject({
      ok: false,
      permanent: true,
      why: expect.stringContaining("HALVIK_NOTIFY_PROGRAMS"),
    });
  });
});
