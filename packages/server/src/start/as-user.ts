import { spawn, spawnSync } from "node:child_process";
import { chownSync, mkdirSync, readdirSync, realpathSync, statSync } from "node:fs";
import { type RunAs, StartError } from "./cluster.js";

/** Lets who is not root bind ports below 1024, and nothing else (capabilities(7)). */
const BIND = ["--inh-caps=+net_bind_service", "--ambient-caps=+net_bind_service"];

/**
 * As root: everything that Halvik is runs as its own user, from here on; what is left of root waits for it to end and touches no file. The
 * one thing done as root is giving that user the data directory.
 * @returns the exit code
 */
export async function startAsUser(runAs: RunAs, dataDir: string, args: readonly string[]): Promise<number> {
  giveDataDir(dataDir, runAs);
  const who = [`--reuid=${runAs.uid}`, `--regid=${runAs.gid}`, "--clear-groups"];
  // a container may not have the capability to give: then such ports cannot be bound, and their endpoints say so
  const caps = spawnSync("setpriv", [...who, ...BIND, "true"]).status === 0 ? BIND : [];
  const child = spawn(
    "setpriv",
    [...who, ...caps, "--pdeathsig=KILL", process.execPath, ...process.execArgv, ...args],
    {
      // its own process group: Ctrl-C reaches this process alone, which hands it on
      detached: true,
      stdio: "inherit",
      cwd: "/",
      env: { ...process.env, HALVIK_DATA_DIR: dataDir, HOME: dataDir },
    },
  );
  for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) process.on(signal, () => child.kill(signal));
  return new Promise((resolve, reject) => {
    child.once("error", (e) => reject(new StartError(`setpriv cannot be run: ${e.message}`)));
    child.once("exit", (code, signal) => resolve(code ?? (signal === null ? 1 : 128)));
  });
}

/** Makes the data directory, or takes it over where it is root's; one of another user is left as it is. */
export function giveDataDir(dataDir: string, { uid, gid }: RunAs): void {
  try {
    mkdirSync(dataDir, { recursive: true, mode: 0o700 });
  } catch (e) {
    throw new StartError(`the data directory ${dataDir} cannot be made: ${(e as Error).message}`);
  }
  const path = realpathSync(dataDir);
  const { uid: owner } = statSync(path);
  if (owner === uid) return;
  if (owner !== 0 && readdirSync(path).length > 0)
    throw new StartError(
      `the data directory ${dataDir} belongs to user ${owner}: start Halvik as that user, or name another with --data`,
    );
  chownSync(path, uid, gid);
}
