import { spawn } from "node:child_process";
import { createSocket } from "node:dgram";
import { once } from "node:events";
import { mkdtempSync, rmSync } from "node:fs";
import { createServer, get } from "node:http";
import { createServer as createSecureServer } from "node:https";
import { type AddressInfo, connect } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { connect as connectSecurely } from "node:tls";
import { selfSigned } from "../kernel/tls/self-signed.js";
import { runCommand } from "./roles.js";

/** Real packets of programs that are not ours (Node's HTTP, OpenSSL's TLS, the kernel's TCP), as Debian's tcpdump writes them from loopback. */
const HERE = "127.77.0.53";
const closers: (() => void)[] = [];
let directory: string;
beforeAll(() => {
  directory = mkdtempSync(join(tmpdir(), "halvik-packets-"));
});
afterAll(() => {
  for (const close of closers) close();
  rmSync(directory, { recursive: true, force: true });
});

interface Line {
  readonly kind?: string;
  readonly app?: string;
  readonly event?: string;
  readonly outcome?: string;
  readonly src?: string;
  readonly dstPort?: number;
  readonly bytes?: number;
  readonly sentence?: string;
  readonly data?: [string, string][];
}
const valuesOf = (line: Line | undefined) => Object.fromEntries(line?.data ?? []);

/** What `decode --meter` says of the packets that go by on loopback while something is done. */
async function captured(work: () => Promise<void>): Promise<Line[]> {
  const file = join(directory, "real.pcap");
  const tcpdump = spawn(
    "/usr/bin/tcpdump",
    ["-i", "lo", "-Z", "root", "-U", "-B", "16384", "--immediate-mode", "-w", file, `host ${HERE}`],
    { stdio: ["ignore", "ignore", "pipe"] },
  );
  let said = "";
  tcpdump.stderr.on("data", (part: Buffer) => {
    said += part.toString();
  });
  while (!said.includes("listening on")) {
    if (tcpdump.exitCode !== null) throw new Error(`tcpdump does not capture: ${said}`);
    await new Promise((r) => setTimeout(r, 20));
  }
  await work();
  // what was sent last is on its way
  await new Promise((r) => setTimeout(r, 300));
  tcpdump.kill("SIGINT");
  await once(tcpdump, "close");
  const { out, code } = await runCommand(process.env, ["decode", "--meter", file]);
  expect(code).toBe(0);
  return out
    .trim()
    .split("\n")
    .map((line) => JSON.parse(line) as Line);
}

test("what real programs say to each other, captured by tcpdump, is told", async () => {
  const { key, cert } = await selfSigned(Date.now());
  const web = createServer((req, res) => {
    res.statusCode = req.url?.startsWith("/gone") ? 404 : 200;
    // without a length: chunked
    if (req.url === "/chunks") {
      res.write("a".repeat(5_000));
      setTimeout(() => res.end("b".repeat(7_000)), 30);
    } else res.end("it is here");
  }).listen(0, HERE);
  const secure = createSecureServer({ key, cert, ALPNProtocols: ["http/1.1"] }, (_req, res) => res.end("ok")).listen(
    0,
    HERE,
  );
  const older = createSecureServer({ key, cert, maxVersion: "TLSv1.2" }).listen(0, HERE);
  const names = createSocket("udp4", (m, from) => {
    const answer = Buffer.concat([m, Buffer.from([0xc0, 12, 0, 1, 0, 1, 0, 0, 0, 60, 0, 4, 203, 0, 113, 9])]);
    answer.writeUInt16BE(0x8180, 2);
    answer.writeUInt16BE(1, 6);
    names.send(answer, from.port, from.address);
  }).bind(53, HERE);
  closers.push(
    () => web.close(),
    () => secure.close(),
    () => older.close(),
    () => names.close(),
  );
  await Promise.all([
    once(web, "listening"),
    once(secure, "listening"),
    once(older, "listening"),
    once(names, "listening"),
  ]);
  const portOf = (server: { address(): AddressInfo | string | null }) => (server.address() as AddressInfo).port;

  const fetched = (path: string) =>
    new Promise<void>((done, failed) => {
      get({ host: HERE, port: portOf(web), path, headers: { Host: "tickets.orvane.example" }, agent: false }, (res) => {
        res.resume().once("end", done);
      }).once("error", failed);
    });
  const agreed = (version: "TLSv1.2" | "TLSv1.3", server = secure) =>
    new Promise<void>((done) => {
      const socket = connectSecurely({
        host: HERE,
        port: portOf(server),
        servername: "secure.orvane.example",
        ALPNProtocols: ["http/1.1"],
        minVersion: version,
        maxVersion: version,
        rejectUnauthorized: false,
      });
      socket
        .once("secureConnect", () => socket.end())
        .once("error", () => undefined)
        .once("close", () => done());
    });
  const asked = () =>
    new Promise<void>((done) => {
      const socket = createSocket("udp4").once("message", () => socket.close(() => done()));
      const question = Buffer.from("000701000001000000000000", "hex");
      const name = Buffer.concat(
        [..."www.orvane.example".split(".")].map((l) => Buffer.from([l.length, ...Buffer.from(l)])),
      );
      socket.send(Buffer.concat([question, name, Buffer.from([0, 0, 1, 0, 1])]), 53, HERE);
    });
  const refused = () =>
    new Promise<void>((done) => {
      connect({ host: HERE, port: 9 }).once("error", () => done());
    });

  const lines = await captured(async () => {
    await fetched("/here?session=4711");
    await fetched("/gone");
    await fetched("/chunks");
    await agreed("TLSv1.2");
    await agreed("TLSv1.3");
    await agreed("TLSv1.3", older);
    await asked();
    await refused();
  });
  const of = (app: string) => lines.filter((l) => l.kind === "packet" && l.app === app);

  expect(
    of("http").map((l) => [l.event, valuesOf(l).path, valuesOf(l).status, valuesOf(l)["answer bytes"], l.outcome]),
  ).toEqual([
    ["GET", "/here?…", "200", "10", "success"],
    ["GET", "/gone", "404", "10", "failure"],
    ["GET", "/chunks", "200", "12000", "success"],
  ]);
  expect(of("http").every((l) => valuesOf(l)["server name"] === "tickets.orvane.example")).toBe(true);
  expect(Number(valuesOf(of("http")[2]).taken)).toBeGreaterThan(25);

  const [old, recent] = of("tls").map(valuesOf);
  expect(of("tls").map((l) => [l.event, l.outcome])).toEqual([
    ["agreed", "success"],
    ["agreed", "success"],
    ["failed", "failure"],
  ]);
  expect(valuesOf(of("tls")[2])).toMatchObject({
    alert: "protocol version, by the server",
    "version offered": "TLS 1.3",
  });
  expect(old).toMatchObject({
    version: "TLS 1.2",
    "server name": "secure.orvane.example",
    "application protocol": "http/1.1",
    cipher: expect.stringMatching(/^TLS_ECDHE_/),
    "certificate subject": expect.stringContaining("CN="),
    "certificate from": expect.stringMatching(/^20\d\d-/),
  });
  // from TLS 1.3 on the certificate is encrypted
  expect(recent).toMatchObject({ version: "TLS 1.3", cipher: expect.stringMatching(/^TLS_(AES|CHACHA)/) });
  expect(recent?.["certificate subject"]).toBeUndefined();

  expect(of("dns")).toHaveLength(1);
  expect(of("dns")[0]?.sentence).toMatch(
    /asked 127\.77\.0\.53 for A of www\.orvane\.example: 203\.0\.113\.9, after [\d.]+ m?s/,
  );
  expect(of("tcp").map((l) => l.event)).toEqual(expect.arrayContaining(["refused", "closed"]));
  expect(of("tcp").find((l) => l.event === "refused")).toMatchObject({ dstPort: 9, outcome: "failure" });
  // the same connections as flows, both ways
  const flows = lines.filter((l) => l.kind === "flow");
  expect(flows.filter((f) => f.dstPort === portOf(web))).toHaveLength(3);
  expect(flows.filter((f) => f.dstPort === 53)).toHaveLength(1);
});
