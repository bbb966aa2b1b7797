import { spawn } from "node:child_process";
import { existsSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { loadConfig } from "../config/config.js";
import { loadOrMakeSecrets } from "../config/secrets.js";
import { Children } from "./children.js";
import { Cluster, type RunAs, StartError } from "./cluster.js";
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
  const childEnv = { ...env, HALVIK_DATA_DIR: dataDir };
  const children = new Children(program, dataDir, childEnv, runAs);
  let loader: ReturnType<typeof loadDemo> | null = null;
  let stopped: Promise<void> | null = null;
  const stop = () => {
    stopped ??= (async () => {
      console.log("\nStopping …");
      loader?.cancel();
      await children.stop(["stand-ins", "collector", "engine", "web"]);
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
    await step("Starting the collector, the engine and the web role", async () => {
      await children.start("collector", ["serve", "--role", "collector"], true);
      await children.start("engine", ["serve", "--role", "engine"]);
      await children.start("web", ["serve", "--role", "web"], true);
    });
    const address = `http://${config.HALVIK_HTTP_HOST.includes(":") ? `[${config.HALVIK_HTTP_HOST}]` : config.HALVIK_HTTP_HOST}:${config.HALVIK_HTTP_PORT}`;
    console.log(`\n  Halvik answers at ${address}`);
    if (password !== null)
      console.log(
        `  Sign in as “owner” with the one-time password ${password}\n  (it is shown only now; “bin/halvik user reset owner” makes a new one)`,
      );
    console.log("  Ctrl-C stops everything.\n");
    if (options.demo) {
      loader = loadDemo(program, dataDir, childEnv, runAs);
      await loader.done;
      if (stopped === null) {
        await children.start("stand-ins", ["simulate", "live"]);
        console.log("The stand-in devices of Orvane Ferries are sending.");
      }
    }
  } catch (e) {
    if (stopped === null) {
      await children.stop(["stand-ins", "collector", "engine", "web"]);
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

/** Loads the demo's senders and week of history once, by the same commands anyone can use: a list of senders and a capture. */
function loadDemo(
  program: string,
  dataDir: string,
  env: NodeJS.ProcessEnv,
  runAs: RunAs | null,
): { done: Promise<void>; cancel: () => void } {
  const marker = join(dataDir, "demo-loaded");
  const as = runAs ?? {};
  let cancelled = false;
  const running: ReturnType<typeof spawn>[] = [];
  const pipe = (producer: readonly string[], consumer: readonly string[]) =>
    new Promise<void>((resolve, reject) => {
      const from = spawn(process.execPath, [program, ...producer], {
        env,
        detached: true,
        stdio: ["ignore", "pipe", "inherit"],
        ...as,
      });
      const to = spawn(process.execPath, [program, ...consumer], {
        env,
        detached: true,
        stdio: ["pipe", "inherit", "inherit"],
        ...as,
      });
      running.push(from, to);
      from.stdout!.pipe(to.stdin!);
      to.stdin!.on("error", () => from.kill());
      to.once("exit", (code) =>
        code === 0 || cancelled ? resolve() : reject(new Error(`${consumer.join(" ")} ended with ${code}`)),
      );
    });
  const work = async () => {
    if (existsSync(marker)) return;
    await step("Loading the demo's senders", () => pipe(["simulate", "senders"], ["senders", "import", "-"]));
    if (cancelled) return;
    console.log("Loading 7 days of history; the interface answers meanwhile …");
    const started = performance.now();
    await pipe(
      ["simulate", "history"],
      ["import", "-", "--name", "history of Orvane Ferries", "--rules", "--total", "440000"],
    );
    if (cancelled) return;
    console.log(`History loaded in ${((performance.now() - started) / 1000).toFixed(1)} s`);
    writeFileSync(marker, "");
  };
  return {
    done: work(),
    cancel: () => {
      cancelled = true;
      for (const child of running) child.kill();
    },
  };
}
