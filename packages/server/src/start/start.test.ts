import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import { chmodSync, cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { freePort } from "../testing/free-port.js";

/**
 * The start command as a stranger meets it: what stands in its way is one sentence, what a crash left is mended. It is run from a copy of what
 * is built, far from the packages it was built with.
 */
const tree = mkdtempSync(join(tmpdir(), "halvik-tree-"));
const PROGRAM = join(tree, "packages/server/dist/halvik.js");
let dataDir: string;
let ports: { http: number; db: number; syslog: number };
beforeAll(async () => {
  // whoever Halvik runs as reads it
  chmodSync(tree, 0o755);
  for (const part of [
    "packages/server/dist",
    "packages/server/mibs",
    "packages/server/windows",
    "packages/server/linux",
    "packages/web/dist",
  ])
    cpSync(resolve(part), join(tree, part), { recursive: true });
  dataDir = mkdtempSync(join(tmpdir(), "halvik-start-"));
  ports = { http: await freePort(), db: await freePort(), syslog: await freePort() };
});
afterAll(() => {
  for (const path of [dataDir, tree]) rmSync(path, { recursive: true, force: true });
});

interface Started {
  readonly child: ChildProcess;
  readonly output: () => string;
  readonly ended: Promise<number>;
}

function start(over: Readonly<Record<string, string>> = {}): Started {
  const env = {
    ...process.env,
    NODE_OPTIONS: "",
    HALVIK_HTTP_PORT: String(ports.http),
    HALVIK_DB_PORT: String(ports.db),
    HALVIK_SYSLOG_UDP_PORT: String(ports.syslog),
    HALVIK_SYSLOG_TCP_PORT: String(ports.syslog),
    ...over,
  };
  const child = spawn(process.execPath, [PROGRAM, "start", "--empty", "--data", dataDir], { env });
  let output = "";
  for (const stream of [child.stdout, child.stderr])
    stream.on("data", (b: Buffer) => {
      output += b.toString();
    });
  return { child, output: () => output, ended: new Promise((done) => child.once("close", (code) => done(code ?? -1))) };
}

async function ready(s: Started): Promise<void> {
  const until = performance.now() + 180_000;
  while (!s.output().includes("Ctrl-C stops everything")) {
    if (performance.now() > until || s.child.exitCode !== null) throw new Error(s.output());
    await new Promise((r) => setTimeout(r, 100));
  }
}

function occupy(port: number): Promise<() => void> {
  return new Promise((done) => {
    const server = createServer();
    server.listen(port, "127.0.0.1", () => done(() => server.close()));
  });
}

/** What is a process of this start, by whose user it runs. */
const processesOf = (user: string): readonly string[] =>
  spawnSync("pgrep", ["-u", user, "-f", PROGRAM], { encoding: "utf8" }).stdout.split("\n").filter(Boolean);

/** Started by root, every role is a user of its own, without any privilege but that of binding ports, and sees nothing of the others. */
function expectStrangers(): void {
  const roles = ["collector", "engine", "keeper", "notifier", "web"];
  const may = (user: string, path: string) =>
    spawnSync("setpriv", [`--reuid=${user}`, `--regid=${user}`, "--clear-groups", "cat", join(dataDir, path)])
      .status === 0;
  expect(processesOf("halvik")).toHaveLength(1);
  for (const role of roles) {
    const user = `halvik-${role}`;
    const [pid, ...others] = processesOf(user);
    expect(others).toEqual([]);
    const status = readFileSync(`/proc/${pid}/status`, "utf8");
    expect(status).toMatch(/^NoNewPrivs:\t1$/m);
    // CAP_NET_BIND_SERVICE is bit 10 (capabilities(7))
    expect(Number.parseInt(/^CapEff:\t(\w+)$/m.exec(status)![1]!, 16) & ~(1 << 10)).toBe(0);
    expect(
      readFileSync(`/proc/${pid}/environ`, "utf8")
        .split("\0")
        .filter((v) => v.startsWith("HALVIK_")),
    ).toEqual(["HALVIK_INPUT=stdin"]);
    for (const path of ["secrets.json", "tls/key.pem", "postgres/PG_VERSION", "logs"])
      expect([role, path, may(user, path)]).toEqual([role, path, false]);
    expect([role, may(user, "roles/collector/snmp-engine.json")]).toEqual([role, role === "collector"]);
  }
  expect(may("halvik", "secrets.json")).toBe(true);
}

describe("bin/halvik start", () => {
  test("the first start makes everything, prints the address and a one-time password, and Ctrl-C ends it all", async () => {
    const first = start();
    await ready(first);
    expect(first.output()).toMatch(/Starting PostgreSQL … \d/);
    expect(first.output()).toMatch(/one-time password [a-z0-9]{5}(-[a-z0-9]{5}){3}/);
    expect((await fetch(`http://127.0.0.1:${ports.http}/api/v1/health`)).status).toBe(200);
    if (process.getuid?.() === 0) expectStrangers();
    first.child.kill("SIGINT");
    expect(await first.ended).toBe(0);
    await expect(fetch(`http://127.0.0.1:${ports.http}/`)).rejects.toThrow();
  }, 240_000);

  test("killed outright, it starts again: the lock is free and the cluster left behind is taken over; no new password", async () => {
    const crashed = start();
    await ready(crashed);
    crashed.child.kill("SIGKILL");
    await crashed.ended;
    await new Promise((r) => setTimeout(r, 2_000));
    const again = start();
    await ready(again);
    expect(again.output()).not.toContain("one-time password");
    const second = start();
    expect(await second.ended).toBe(1);
    expect(second.output()).toContain(`Halvik already runs on ${dataDir}`);
    again.child.kill("SIGTERM");
    expect(await again.ended).toBe(0);
  }, 240_000);

  test.each([
    ["the web port", () => ports.http, "choose one with --port or HALVIK_HTTP_PORT"],
    ["the database port", () => ports.db, "choose one with HALVIK_DB_PORT"],
    ["the syslog port", () => ports.syslog, "is taken by another program"],
  ])(
    "%s taken by another program is one sentence and exit 1, and nothing is left running",
    async (_what, port, words) => {
      const free = await occupy(port());
      try {
        const blocked = start();
        expect(await blocked.ended).toBe(1);
        expect(blocked.output().trim().split("\n").pop()).toMatch(new RegExp(`^halvik: .*${words}`));
        expect(spawnSync("flock", ["-w", "10", join(dataDir, "halvik.lock"), "true"]).status).toBe(0);
      } finally {
        free();
      }
    },
    60_000,
  );

  test("a setting that cannot be used is named", async () => {
    writeFileSync(join(dataDir, "halvik.conf"), "HALVIK_ZONE=Mars/Olympus\n");
    const refused = start();
    expect(await refused.ended).toBe(1);
    expect(refused.output()).toMatch(/HALVIK_ZONE.*expected an IANA zone/);
  });
});
