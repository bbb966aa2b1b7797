import { createServer } from "node:net";
import { join } from "node:path";
import { loadConfig } from "../config/config.js";
import { loadOrMakeSecrets } from "../config/secrets.js";
import { Children } from "./children.js";
import { Cluster, StartError } from "./cluster.js";
import { demoTokenFile, loadDemo } from "./demo.js";
import { handOver, prepareDataDir, raiseReceiveBufferLimit, runAsUser, takePidFile } from "./prepare.js";
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

/** The start command: cluster, schema, roles, demo; runs until it is told to stop. */
export async function start(options: StartOptions, program: string): Promise<void> {
  const env = {
    ...process.env,
    ...(options.dataDir ? { HALVIK_DATA_DIR: options.dataDir } : {}),
    ...(options.port ? { HALVIK_HTTP_PORT: options.port } : {}),
  };
  const config = loadConfig(env);
  const dataDir = config.HALVIK_DATA_DIR;
  const runAs = runAsUser();
  prepareDataDir(config, runAs);
  const givePidFileUp = takePidFile(dataDir);
  const cluster = new Cluster(config, loadOrMakeSecrets(dataDir), runAs);
  // the demo's mail goes to a stand-in, unless a mail server is set
  const sink = options.demo && config.HALVIK_SMTP_URL === "";
  const childEnv = {
    ...env,
    HALVIK_DATA_DIR: dataDir,
    ...(sink ? { HALVIK_SMTP_URL: `smtp://127.0.0.1:${config.HALVIK_MAIL_SINK_PORT}` } : {}),
  };
  const children = new Children(program, dataDir, childEnv, runAs);
  let loader: ReturnType<typeof loadDemo> | null = null;
  let stopped: Promise<void> | null = null;
  const stop = () => {
    stopped ??= (async () => {
      console.log("\nStopping …");
      loader?.cancel();
      await children.stop(["stand-ins", "collector", "engine", "keeper", "notifier", "mail-sink", "web"]);
      await cluster.stop();
      givePidFileUp();
      console.log("Stopped. Nothing that arrived was lost.");
    })();
    return stopped;
  };
  const ended = new Promise<void>((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) process.on(signal, () => void stop().then(resolve));
  });
  try {
    handOver(join(dataDir, "secrets.json"), runAs);
    await requireFreePort(config.HALVIK_HTTP_HOST, config.HALVIK_HTTP_PORT);
    raiseReceiveBufferLimit(config.HALVIK_UDP_RECEIVE_BUFFER_BYTES);
    await step("Starting PostgreSQL", () => cluster.start());
    const password = await step("Bringing the database up to date", () =>
      setUpDatabase(config, loadOrMakeSecrets(dataDir)),
    );
    await step("Starting the collector, the engine, the keeper, the notifier and the web role", async () => {
      const role = (name: string, asRoot = false) => children.start(name, ["serve", "--role", name], asRoot);
      await Promise.all([
        role("collector", true),
        role("engine"),
        role("keeper"),
        role("notifier"),
        role("web", true),
        ...(sink ? [children.start("mail-sink", ["mail-sink"])] : []),
      ]);
    });
    const address = `http://${config.HALVIK_HTTP_HOST.includes(":") ? `[${config.HALVIK_HTTP_HOST}]` : config.HALVIK_HTTP_HOST}:${config.HALVIK_HTTP_PORT}`;
    console.log(`\n  Halvik answers at ${address}`);
    if (password !== null)
      console.log(
        `  Sign in as “owner” with the one-time password ${password}\n  (it is shown only now; “bin/halvik user reset owner” makes a new one)`,
      );
    console.log("  Ctrl-C stops everything.\n");
    if (options.demo) {
      loader = loadDemo(program, dataDir, childEnv, runAs, step);
      await loader.done;
      if (stopped === null) {
        await children.start("stand-ins", ["simulate", "live", "--token-file", demoTokenFile(dataDir)]);
        console.log("The stand-in devices of Orvane Ferries are sending.");
      }
    }
  } catch (e) {
    if (stopped === null) {
      await children.stop(["stand-ins", "collector", "engine", "keeper", "notifier", "mail-sink", "web"]);
      await cluster.stop();
      givePidFileUp();
      throw e instanceof StartError ? e : new StartError((e as Error).message, { cause: e });
    }
  }
  await ended;
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
