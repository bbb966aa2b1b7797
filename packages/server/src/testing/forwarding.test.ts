import { createSocket, type Socket } from "node:dgram";
import { createServer as createHttps, type Server } from "node:https";
import { createServer, type Server as TcpServer } from "node:net";
import type { ForwardJson, ForwardList } from "@halvik/contract/forwarding";
import { flowSet, ipfixMessage, templateBody } from "../../../core/src/testing/flow-bytes.js";
import { fingerprintOf, tlsIdentity } from "../kernel/tls/tls-identity.js";
import { RoleProcess } from "./roles.js";
import { runInside } from "./run-inside.js";
import { TestApi } from "./test-api.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** What is passed on, at stand-in receivers on loopback: octet for octet, in order, through outages and kills. */
const OUTAGE_MS = 1_000 * Number(process.env.HALVIK_OUTAGE_SECONDS ?? "1");
let instance: TestInstance;
let collector: RoleProcess;
let api: TestApi;
const FROM = "127.79.0.3";

beforeAll(async () => {
  instance = await startTestInstance();
  await runInside(instance.env, ["senders", "import", "-"], `name,addresses\nsrv 3,${FROM}\n`);
  collector = await RoleProcess.start(instance, "collector");
  api = await TestApi.start(instance);
}, 240_000);
afterEach(async () => {
  for (const r of ((await api.get("/arrival-rules")).body as { rules: { id: number }[] }).rules)
    await api.delete(`/arrival-rules/${r.id}`);
  for (const f of await forwards()) await api.delete(`/forwards/${f.id}`);
});
afterAll(async () => {
  await collector?.stop();
  await api?.close();
  await instance?.dispose();
});

const forwards = async (): Promise<ForwardJson[]> => ((await api.get("/forwards")).body as ForwardList).forwards;
async function add(name: string, filter: string, way: object, secret?: string): Promise<ForwardJson> {
  const { status, body } = await api.post("/forwards", {
    forward: { name, filter, way },
    ...(secret ? { secret } : {}),
  });
  expect([status, body]).toEqual([200, expect.anything()]);
  return (body as ForwardList).forwards.find((f) => f.forward.name === name)!;
}
async function send(messages: readonly (string | Uint8Array)[], port = instance.config.HALVIK_SYSLOG_UDP_PORT) {
  const socket = createSocket("udp4");
  await new Promise<void>((done) => socket.bind(0, FROM, done));
  for (const m of messages) await new Promise((done) => socket.send(m, port, "127.0.0.1", done));
  socket.close();
}
/** A receiver of datagrams. */
async function datagrams(port = 0): Promise<{ socket: Socket; port: number; got: Buffer[] }> {
  const socket = createSocket("udp4");
  const got: Buffer[] = [];
  socket.on("message", (m) => got.push(m));
  await new Promise<void>((done) => socket.bind(port, "127.0.0.1", done));
  return { socket, port: socket.address().port, got };
}
/** A forward works within a second or two: lines are sent until the first of them comes. */
const begun = (line: string, arrived: () => number) =>
  eventually(
    "it begins",
    async () => {
      await send([line]);
      await new Promise((done) => setTimeout(done, 300));
      return arrived();
    },
    (n) => n > 0,
  );
const soon = <T>(what: string, get: () => T, holds: (value: T) => boolean) =>
  eventually(what, async () => get(), holds);
const lines = (word: string, count: number) =>
  Array.from({ length: count }, (_, i) => `<${i % 2 === 0 ? 11 : 15}>app[${i}]: ${word} ${i} ø\u0001`);

test(
  "what a filter chooses goes on octet for octet and in order, through an outage of the receiver and a kill of the collector",
  async () => {
    let sink = await datagrams();
    const { port } = sink;
    await add("north", "severity at least error", { is: "syslog", transport: "udp", host: "127.0.0.1", port });
    await begun("<11>begin", () => sink.got.length);
    sink.got.length = 0;
    await send(lines("one", 40));
    const chosen = (word: string, n: number) => lines(word, n).filter((_, i) => i % 2 === 0);
    const texts = () => sink.got.map(String).filter((t) => !t.includes("begin"));
    await soon("all", texts, (t) => t.length >= 20);
    expect(texts()).toEqual(chosen("one", 40));
    // nobody listens: what comes meanwhile waits
    await new Promise<void>((done) => sink.socket.close(() => done()));
    await send(lines("two", 60));
    await eventually("it is told", forwards, ([f]) => f?.state === "trouble" && f.queuedBytes > 0);
    await collector.kill();
    collector = await RoleProcess.start(instance, "collector");
    await send(lines("three", 20));
    // for as long as it is away, and longer in a long run: something comes all the time
    const times = Math.max(1, Math.round(OUTAGE_MS / 1_500));
    for (let i = 0; i < times; i++) {
      await new Promise((done) => setTimeout(done, 1_500));
      await send([`<11>meanwhile ${i}`]);
    }
    const meanwhile = Array.from({ length: times }, (_, i) => `<11>meanwhile ${i}`);
    sink = await datagrams(port);
    // a batch that was under way when it was killed may come twice, and none is missing or out of order
    await soon(
      "all that waited",
      () => new Set(texts()),
      (t) => t.size >= 40 + times,
    );
    expect([...new Set(texts())]).toEqual([...chosen("two", 60), ...chosen("three", 20), ...meanwhile]);
    const [after] = await eventually("all well", forwards, ([f]) => f?.state !== "trouble");
    expect(after).toMatchObject({ lost: 0, refused: 0 });
    await new Promise<void>((done) => sink.socket.close(() => done()));
  },
  90_000 + 2 * OUTAGE_MS,
);

test("over one connection with who sent it, and on after the connection broke", async () => {
  let text = "";
  const sockets = new Set<import("node:net").Socket>();
  const server: TcpServer = createServer((socket) => {
    sockets.add(socket);
    socket.on("data", (b) => {
      text += b.toString("latin1");
    });
    socket.on("error", () => undefined);
  });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const { port } = server.address() as { port: number };
  await add("east", 'text has "puffin"', { is: "syslog", transport: "tcp", host: "127.0.0.1", port, header: "origin" });
  await begun("<11>app: puffin 0", () => text.length);
  await send(['<165>1 2003-10-11T22:14:15.003Z m e - ID47 [a@32473 b="c"] puffin 1']);
  await soon(
    "with structured data",
    () => text,
    (t) => t.includes("puffin 1"),
  );
  expect(text).toMatch(new RegExp(`\\d+ <11>1 \\S+Z srv3 - - - \\[origin ip="${FROM}"\\] <11>app: puffin 0`));
  expect(text).toContain(`ID47 [origin ip="${FROM}"][a@32473 b="c"] puffin 1`);
  // frame after frame by their counted octets: nothing is left over
  let rest = text;
  while (rest !== "") {
    const [head, length] = /^(\d+) (?=<)/.exec(rest)!;
    rest = rest.slice(head.length + Number(length));
  }
  for (const socket of sockets) socket.destroy();
  await new Promise((done) => setTimeout(done, 200));
  await send(["<11>app: puffin 2", "<11>app: puffin 3"]);
  await soon(
    "on",
    () => text,
    (t) => t.includes("puffin 2") && t.includes("puffin 3"),
  );
  for (const socket of sockets) socket.destroy();
  server.close();
}, 60_000);

test("as JSON to whom shows the certificate that is expected: once each, over refusals, one that is never taken passed over", async () => {
  const identity = await tlsIdentity(instance.config, Date.now());
  const got: string[] = [];
  const seen: { authorization: string | undefined; answers: number[] } = { authorization: undefined, answers: [] };
  let failing = 2;
  const server: Server = createHttps({ key: identity.key, cert: identity.cert }, (req, res) => {
    let body = "";
    req.on("data", (b: Buffer) => {
      body += b.toString();
    });
    req.on("end", () => {
      seen.authorization = req.headers.authorization;
      const status = failing > 0 ? 503 : body.includes("poison") ? 413 : 204;
      if (failing > 0) failing--;
      seen.answers.push(status);
      if (status === 204) got.push(...body.trimEnd().split("\n"));
      res.writeHead(status).end();
    });
  });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const url = `https://127.0.0.1:${(server.address() as { port: number }).port}/in`;
  const certificate = fingerprintOf(identity.cert);
  const made = await add("south", 'text has "skua"', { is: "json", url, certificate: "00".repeat(32) }, "hush");
  expect(JSON.stringify(await forwards())).not.toContain("hush");
  expect(made.hasSecret).toBe(true);
  await eventually(
    "another certificate",
    async () => {
      await send(["<11>app: skua 0"]);
      await new Promise((done) => setTimeout(done, 300));
      return (await forwards())[0];
    },
    (f) => f?.state === "trouble" && /another certificate/.test(f.detail),
  );
  expect(seen.answers).toEqual([]);
  const changed = await api.patch(`/forwards/${made.id}`, {
    forward: { ...made.forward, way: { is: "json", url, certificate } },
  });
  expect(changed.status).toBe(200);
  await send(["<11>app: skua 1", "<11>app: skua poison", "<11>app: skua 2"]);
  const texts = () => got.map((l) => (JSON.parse(l) as { text: string }).text).filter((t) => t !== "skua 0");
  await soon("delivered", texts, (t) => t.length >= 2);
  expect(texts()).toEqual(["skua 1", "skua 2"]);
  expect(seen.authorization).toBe("Bearer hush");
  expect(seen.answers).toEqual(expect.arrayContaining([503, 413, 204]));
  expect(JSON.parse(got.at(-1)!)).toMatchObject({ sender: { name: "srv 3" }, severity: "error", app: "app" });
  expect((await eventually("counted", forwards, ([f]) => f?.refused === 1))[0]!.state).not.toBe("trouble");
  server.closeAllConnections();
  server.close();
}, 60_000);

test("whole datagrams of flows by their sender, those of templates alone too", async () => {
  const sink = await datagrams();
  await add("west", "kind is flow", { is: "flow", host: "127.0.0.1", port: sink.port });
  const fields = [
    [8, 4],
    [12, 4],
    [1, 4],
  ];
  const template = Buffer.from(
    ipfixMessage({ exportSeconds: 1_700_000_000, sequence: 0, domain: 7 }, flowSet(2, templateBody(300, fields))),
  );
  await eventually(
    "it begins",
    async () => {
      await send([template], instance.config.HALVIK_IPFIX_PORT);
      await new Promise((done) => setTimeout(done, 300));
      return sink.got.length;
    },
    (n) => n > 0,
  );
  expect(sink.got.every((b) => b.equals(template))).toBe(true);
  const before = sink.got.length;
  const broken = Buffer.from("0005ffff", "hex");
  await send([broken, template], instance.config.HALVIK_IPFIX_PORT);
  await soon(
    "both",
    () => sink.got.length,
    (n) => n >= before + 2,
  );
  expect(sink.got[before]!.equals(broken)).toBe(true);
  await new Promise<void>((done) => sink.socket.close(() => done()));
}, 60_000);

test("a rule of arrival passes on what it drops; its forward cannot go", async () => {
  const sink = await datagrams();
  const forward = await add("attic", "", { is: "syslog", transport: "udp", host: "127.0.0.1", port: sink.port });
  const rule = { name: "aside", filter: 'text has "gannet"', does: "drop", forward: forward.id };
  const kept = await api.post("/arrival-rules", rule);
  expect(kept).toMatchObject({
    status: 200,
    body: { rules: [{ says: "is passed on by “attic”, is dropped, and counted" }] },
  });
  expect((await api.post("/arrival-rules", { ...rule, name: "b", forward: 99_999 })).status).toBe(400);
  await begun("<11>app: gannet", () => sink.got.length);
  await send(["<11>app: not it"]);
  const stored = async () =>
    (await api.get(`/records?${new URLSearchParams({ filter: "app is app and text has it" })}`)).body
      .records as object[];
  await eventually("stored", stored, (r) => r.length > 0);
  expect(sink.got.every((b) => b.toString() === "<11>app: gannet")).toBe(true);
  expect(await api.delete(`/forwards/${forward.id}`)).toMatchObject({ status: 409 });
  expect((await forwards())[0]!.rules).toEqual(["aside"]);
  expect((await api.post("/forwards", { forward: forward.forward }, api.reader)).status).toBe(403);
  await new Promise<void>((done) => sink.socket.close(() => done()));
}, 60_000);
