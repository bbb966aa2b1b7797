import { chownSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import pg from "pg";
import { type Config, loadConfig } from "../kernel/config/config.js";
import { loadOrMakeSecrets, type Secrets } from "../kernel/config/secrets.js";
import { connectionOf } from "../kernel/db/pool.js";
import { handOver, type RunAs, runAsUser } from "../kernel/files/owners.js";
import { Cluster } from "../start/cluster.js";
import { prepareDataDir } from "../start/prepare.js";
import { setUpDatabase } from "../start/setup-database.js";
import { freePort } from "./free-port.js";
import { fillFromPrepared } from "./prepared-data-dir.js";

/** A Halvik of its own for a test: data directory, free ports, a real PostgreSQL. */
export interface TestInstance {
  readonly config: Config;
  readonly secrets: Secrets;
  readonly cluster: Cluster;
  readonly ownerPassword: string;
  /** Environment for child processes of this instance. */
  readonly env: NodeJS.ProcessEnv;
  dispose(): Promise<void>;
}

/** @param keepIn a directory that outlives the instance, for a store that took long to make */
export async function startTestInstance(
  over: Readonly<Record<string, string>> = {},
  keepIn: string | null = null,
): Promise<TestInstance> {
  const dataDir = keepIn ?? mkdtempSync(join(tmpdir(), "halvik-test-"));
  const runAs = runAsUser();
  if (runAs && keepIn === null) chownSync(dataDir, runAs.uid, runAs.gid);
  const prepared = keepIn === null ? await fillFromPrepared(dataDir, makeDataDir) : null;
  const env = await environment(dataDir, over);
  const running = await start(env, runAs);
  const ownerPassword = prepared ?? (await running.setUp());
  return {
    config: running.config,
    secrets: running.secrets,
    cluster: running.cluster,
    ownerPassword: ownerPassword ?? "",
    env,
    dispose: async () => {
      if (keepIn !== null) return running.cluster.stop();
      await abort(dataDir);
      rmSync(dataDir, { recursive: true, force: true });
    },
  };
}

/**
 * Ends a cluster whose directory is thrown away, by the signal for it (PostgreSQL's manual, section 19.5). To begin a program that does it
 * takes a tenth of a second in a process as large as the one that runs tests.
 */
async function abort(dataDir: string): Promise<void> {
  const running = postmasterOf(dataDir);
  if (running === null) return;
  try {
    process.kill(running, "SIGQUIT");
  } catch {
    // it was killed by a test
    return;
  }
  for (const until = performance.now() + 60_000; postmasterOf(dataDir) === running && performance.now() < until; )
    await new Promise((later) => setTimeout(later, 20));
}

/** The process of a data directory's cluster; null: none, its file is gone as it ends. */
function postmasterOf(dataDir: string): number | null {
  try {
    return Number(readFileSync(join(dataDir, "postgres", "postmaster.pid"), "utf8").split("\n")[0]);
  } catch (e) {
    if ((e as NodeJS.ErrnoException).code === "ENOENT") return null;
    throw e;
  }
}

/** Makes a data directory with its cluster, schema and owner, and stops it. @returns the owner's one-time password */
async function makeDataDir(dir: string): Promise<string> {
  const running = await start(await environment(dir, {}), runAsUser());
  const password = await running.setUp();
  await running.cluster.stop();
  if (password === null) throw new Error(`${dir} has had an owner already`);
  return password;
}

async function environment(dataDir: string, over: Readonly<Record<string, string>>): Promise<NodeJS.ProcessEnv> {
  const [db, http, syslog] = await Promise.all([freePort(), freePort(), freePort()]);
  const others = await Promise.all(
    ["SYSLOG_TLS", "SNMP", "NETFLOW", "IPFIX", "SFLOW", "INTAKE", "MAIL_SINK"].map(async (n) => [
      `HALVIK_${n}_PORT`,
      String(await freePort()),
    ]),
  );
  return {
    ...process.env,
    HALVIK_DATA_DIR: dataDir,
    HALVIK_DB_PORT: String(db),
    HALVIK_HTTP_PORT: String(http),
    HALVIK_SYSLOG_UDP_PORT: String(syslog),
    HALVIK_SYSLOG_TCP_PORT: String(syslog),
    ...Object.fromEntries(others),
    HALVIK_LOG_LEVEL: "silent",
    HALVIK_CHECK_ANSWERS: "true",
    ...over,
  };
}

async function start(env: NodeJS.ProcessEnv, runAs: RunAs | null) {
  const config = loadConfig(env);
  prepareDataDir(config, runAs);
  const secrets = loadOrMakeSecrets(config.HALVIK_DATA_DIR);
  handOver(join(config.HALVIK_DATA_DIR, "secrets.json"));
  const cluster = new Cluster(config, secrets, runAs);
  await cluster.start();
  await forTests(config, secrets);
  return { config, secrets, cluster, setUp: () => setUpDatabase(config, secrets) };
}

/**
 * Processes are killed in tests, machines are not: what the system has taken stays, synced or not. From its next start on, the cluster takes
 * little memory, which it would have to prepare.
 */
async function forTests(config: Config, secrets: Secrets): Promise<void> {
  const client = new pg.Client(connectionOf(config, secrets, "owner"));
  await client.connect();
  try {
    await client.query("alter system set fsync = off");
    await client.query("alter system set shared_buffers = '64MB'");
    await client.query("select pg_reload_conf()");
  } finally {
    await client.end();
  }
}

/** Waits until a condition holds; fails with the last value seen. */
export async function eventually<T>(
  what: string,
  look: () => Promise<T>,
  holds: (value: T) => boolean,
  timeoutMs = 90_000,
): Promise<T> {
  const until = performance.now() + timeoutMs;
  for (;;) {
    const value = await look().catch((e: Error) => e as never);
    if (!((value as unknown) instanceof Error) && holds(value)) return value;
    if (performance.now() > until)
      throw new Error(
        `${what}: not within ${timeoutMs} ms; last seen: ${(value as unknown) instanceof Error ? String(value) : JSON.stringify(value)}`,
      );
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}
