import { createServer } from "node:net";
import { join } from "node:path";
import pg from "pg";
import { nowUs } from "../kernel/clock.js";
import { type Config, configOf, loadConfig, rawSettings } from "../kernel/config/config.js";
import { loadOrMakeSecrets, type Secrets } from "../kernel/config/secrets.js";
import { connectionOf } from "../kernel/db/pool.js";
import { runAsUser } from "../kernel/files/owners.js";
import { ROLES, roleInput } from "../kernel/role-input.js";
import { StartError } from "../kernel/start-error.js";
import { certificateFile, tlsIdentity } from "../kernel/tls/tls-identity.js";
import { startAsUser } from "./as-user.js";
import { Children, say } from "./children.js";
import { Cluster } from "./cluster.js";
import { ClusterWatch } from "./cluster-watch.js";
import { demoTokenFile, loadDemo } from "./demo.js";
import { spawnByLauncher } from "./launcher.js";
import { takeLock } from "./lock.js";
import { closeSettingsFile, makeDataDir, raiseReceiveBufferLimit } from "./prepare.js";
import { prepareRoleDirs } from "./role-dirs.js";
import { isRole, type ProgramName, spawnHere, startHere } from "./role-processes.js";
import { setUpDatabase } from "./setup-database.js";

export interface StartOptions {
  readonly demo: boolean;
  readonly dataDir?: string;
  readonly port?: string;
}

/** Prints a step when it begins and how long it took. */
async function step<T>(what: string, work: () => Promise<T> | T): Promise<T> {
  const started = performance.now();
  process.stdout.write(`${what} … `);
  let result: T;
  try {
    result = await work();
  } catch (e) {
    console.log("failed");
    throw e;
  }
  console.log(`${((performance.now() - started) / 1000).toFixed(1)} s`);
  return result;
}

/** The start command: cluster, schema, roles, demo; runs until it is told to stop. As root it goes on as Halvik's own user. */
export async function start(options: StartOptions, program: string): Promise<void> {
  const env = {
    ...process.env,
    ...(options.dataDir ? { HALVIK_DATA_DIR: options.dataDir } : {}),
    ...(options.port ? { HALVIK_HTTP_PORT: options.port } : {}),
  };
  const config = loadConfig(env);
  const dataDir = config.HALVIK_DATA_DIR;
  const runAs = runAsUser();
  if (runAs !== null) {
    raiseReceiveBufferLimit(config.HALVIK_UDP_RECEIVE_BUFFER_BYTES);
    const args = ["start", ...(options.demo ? [] : ["--empty"]), ...(options.port ? ["--port", options.port] : [])];
    process.exitCode = await startAsUser(runAs, dataDir, program, args);
    return;
  }
  const launched = process.env.HALVIK_LAUNCHER === "parent";
  makeDataDir(dataDir, null);
  const giveLockUp = await takeLock(dataDir);
  let secrets: Secrets;
  try {
    if (!launched) prepareRoleDirs(dataDir);
    secrets = loadOrMakeSecrets(dataDir);
  } catch (e) {
    giveLockUp();
    throw e;
  }
  const cluster = new Cluster(config, secrets, null);
  // the demo's mail goes to a stand-in, unless a mail server is set
  const sink = options.demo && config.HALVIK_SMTP_URL === "";
  const smtpUrl = sink ? `smtp://127.0.0.1:${config.HALVIK_MAIL_SINK_PORT}` : config.HALVIK_SMTP_URL;
  const settings = { ...rawSettings(env), ...(smtpUrl === "" ? {} : { HALVIK_SMTP_URL: smtpUrl }) };
  const childEnv = { ...env, HALVIK_DATA_DIR: dataDir };
  // a password for the mail server is the notifier's alone
  const withoutPassword = smtpUrl === "" ? settings : { ...settings, HALVIK_SMTP_URL: withoutUser(smtpUrl) };
  const spawnProgram = launched ? spawnByLauncher() : spawnHere(program);
  const children = new Children(join(dataDir, "logs"));
  const run = (name: ProgramName) =>
    children.start(name, async () => {
      const own = name === "notifier" ? settings : withoutPassword;
      return spawnProgram(
        name,
        isRole(name) ? await roleInput(name, own, configOf(own), secrets) : JSON.stringify({ settings: own }),
      );
    });
  let loader: ReturnType<typeof loadDemo> | null = null;
  let watch: ClusterWatch | null = null;
  let stopped: Promise<void> | null = null;
  const stopAll = async () => {
    watch?.stop();
    await children.stop([["stand-ins"], ["collector"], ["engine", "keeper", "notifier", "web", "mail-sink"]]);
  };
  const stop = () => {
    stopped ??= (async () => {
      say("\nStopping …");
      loader?.cancel();
      await stopAll();
      const account = await whatBecame(config, secrets);
      await cluster.stop();
      giveLockUp();
      say(`Stopped. ${account}`);
    })();
    return stopped;
  };
  const ended = new Promise<void>((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) process.on(signal, () => void stop().then(resolve));
  });
  // a log or terminal that cannot be written to is nobody's end
  for (const stream of [process.stdout, process.stderr]) stream.on("error", () => undefined);
  try {
    await requireFreePort(config.HALVIK_HTTP_HOST, config.HALVIK_HTTP_PORT);
    await step("Starting PostgreSQL", () => cluster.start());
    const password = await step("Bringing the database up to date", () => setUpDatabase(config, secrets));
    // made once, before several roles would each make one
    await tlsIdentity(config, nowUs() / 1_000);
    await step("Starting the collector, the engine, the keeper, the notifier and the web role", async () => {
      await Promise.all([...ROLES, ...(sink ? (["mail-sink"] as const) : [])].map(run));
    });
    watch = new ClusterWatch(cluster, config, secrets, () => children.restart("engine"));
    watch.start();
    const address = `http://${config.HALVIK_HTTP_HOST.includes(":") ? `[${config.HALVIK_HTTP_HOST}]` : config.HALVIK_HTTP_HOST}:${config.HALVIK_HTTP_PORT}`;
    console.log(`\n  Halvik answers at ${address}`);
    if (config.HALVIK_HTTPS_PORT !== 0)
      console.log(`  and over HTTPS on port ${config.HALVIK_HTTPS_PORT}; its certificate: ${certificateFile(config)}`);
    if (password !== null)
      console.log(
        `  Sign in as “owner” with the one-time password ${password}\n  (it is shown only now; “bin/halvik user reset owner” makes a new one)`,
      );
    if (!isLoopback(config.HALVIK_HTTP_HOST))
      console.log(
        `\n  WARNING: anyone on the network can read the interface, with its passwords and sessions, over plain HTTP on ${config.HALVIK_HTTP_HOST}.\n  Set HALVIK_HTTPS_PORT and HALVIK_SECURE_COOKIES=true, or put a proxy with TLS before it.\n`,
      );
    const open = launched ? closeSettingsFile(dataDir) : null;
    if (open !== null) console.log(`\n  WARNING: every user of this machine can read ${open}.\n`);
    console.log("  Ctrl-C stops everything.\n");
    if (options.demo) {
      loader = loadDemo(program, dataDir, childEnv, step);
      await loader.done;
      if (stopped === null) {
        await children.start("stand-ins", async () =>
          startHere(program, ["simulate", "live", "--token-file", demoTokenFile(dataDir)], childEnv),
        );
        console.log("The stand-in devices of Orvane Ferries are sending.");
      }
    }
  } catch (e) {
    if (stopped === null) {
      await stopAll();
      await cluster.stop();
      giveLockUp();
      throw e instanceof StartError ? e : new StartError((e as Error).message, { cause: e });
    }
  }
  await ended;
  // nothing is asked of the launcher any more; an open channel would keep this process from ending
  if (process.connected) process.disconnect();
}

async function requireFreePort(host: string, port: number): Promise<void> {
  await new Promise<void>((resolve, reject) => {
    const probe = createServer();
    probe.once("error", (e: NodeJS.ErrnoException) =>
      reject(
        new StartError(
          e.code === "EADDRINUSE"
            ? `port ${port} is taken by another program; choose one with --port or HALVIK_HTTP_PORT`
            : `port ${port} cannot be used: ${e.message}`,
        ),
      ),
    );
    probe.listen(port, host, () => probe.close(() => resolve()));
  });
}

const isLoopback = (host: string): boolean => host === "localhost" || host === "::1" || host.startsWith("127.");

function withoutUser(url: string): string {
  const bare = new URL(url);
  bare.username = "";
  bare.password = "";
  return bare.toString();
}

/** What the collector counted as lost, said as it is; where it cannot be asked any more, that is said. */
async function whatBecame(config: Config, secrets: Secrets): Promise<string> {
  const client = new pg.Client(connectionOf(config, secrets, "owner"));
  client.on("error", () => undefined);
  try {
    await client.connect();
    const { rows } = await client.query<{ lost: number; quarantined: number; stopped: boolean }>(
      "select coalesce((detail->>'lost')::bigint, 0) as lost, coalesce((detail->>'quarantined')::bigint, 0) as quarantined, coalesce((detail->>'stopped')::boolean, false) as stopped from role_status where role = 'collector' and node = $1",
      [config.HALVIK_NODE],
    );
    const said = rows[0];
    if (!said?.stopped) return "The collector did not say what became of what it had in hand.";
    if (said.lost + said.quarantined === 0) return "Nothing that arrived since its start was lost.";
    return `Of what arrived since its start ${said.lost} were lost and ${said.quarantined} put in quarantine.`;
  } catch {
    return "The database could not be asked what was lost.";
  } finally {
    await client.end().catch(() => undefined);
  }
}
