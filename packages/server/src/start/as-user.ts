import { spawn } from "node:child_process";
import { chmodSync, chownSync, mkdirSync, readdirSync, realpathSync, statSync } from "node:fs";
import type { RunAs } from "../kernel/files/owners.js";
import { StartError } from "../kernel/start-error.js";
import { asUser, HAS_LAUNCHER, serveLauncher } from "./launcher.js";
import { lockIsHeld } from "./lock.js";
import { prepareRoleDirs } from "./role-dirs.js";

/**
 * As root: PostgreSQL and the supervisor run as a user of their own, each role as another one. What is left of root starts the roles when the
 * supervisor asks, and waits for it to end. What it does to files is done before: the directories are given to their users.
 * @returns the exit code
 */
export async function startAsUser(
  runAs: RunAs,
  dataDir: string,
  program: string,
  args: readonly string[],
): Promise<number> {
  giveDataDir(dataDir, runAs);
  if (!lockIsHeld(dataDir)) prepareRoleDirs(dataDir);
  const child = spawn(
    "setpriv",
    [...asUser(runAs, []), "--pdeathsig=KILL", process.execPath, ...process.execArgv, program, ...args],
    {
      // its own process group: Ctrl-C reaches this process alone, which hands it on
      detached: true,
      stdio: ["inherit", "inherit", "inherit", "ipc"],
      cwd: "/",
      env: { ...process.env, ...HAS_LAUNCHER, HALVIK_DATA_DIR: dataDir, HOME: dataDir },
    },
  );
  serveLauncher(child, program);
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
  if (owner !== uid) {
    if (owner !== 0 && readdirSync(path).length > 0)
      throw new StartError(
        `the data directory ${dataDir} belongs to user ${owner}: start Halvik as that user, or name another with --data`,
      );
    chownSync(path, uid, gid);
  }
  // the roles' users come through it to what is theirs
  chmodSync(path, 0o711);
}
