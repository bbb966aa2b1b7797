import { spawnSync } from "node:child_process";
import { existsSync, lchownSync, mkdirSync, readFileSync, statfsSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Config } from "../config/config.js";
import { giveDataDir } from "./as-user.js";
import { type RunAs, StartError } from "./cluster.js";

const USER = "halvik";
const LEAST_FREE_BYTES = 500_000_000;

/** As root: the unprivileged user that everything runs as, made if there is none. */
export function runAsUser(): RunAs | null {
  if (process.getuid?.() !== 0) return null;
  const id = (flag: string) => spawnSync("id", [flag, USER], { encoding: "utf8" });
  if (id("-u").status !== 0) {
    const made = spawnSync(
      "useradd",
      ["--system", "--user-group", "--no-create-home", "--shell", "/usr/sbin/nologin", USER],
      { encoding: "utf8" },
    );
    if (made.status !== 0) throw new StartError(`the user “${USER}” cannot be made: ${made.stderr.trim()}`);
  }
  return { uid: Number(id("-u").stdout), gid: Number(id("-g").stdout) };
}

/** The data directory, owned by the one who works in it, with room left on its disk. */
export function prepareDataDir(config: Config, runAs: RunAs | null): void {
  const dir = config.HALVIK_DATA_DIR;
  if (runAs) giveDataDir(dir, runAs);
  const own = [dir, join(dir, "spool"), join(dir, "quarantine")];
  try {
    for (const path of own) mkdirSync(path, { recursive: true, mode: 0o700 });
  } catch (e) {
    throw new StartError(`the data directory ${dir} cannot be made: ${(e as Error).message}`);
  }
  // never through a link: whoever works in the directory could have put one there
  if (runAs) for (const path of own) lchownSync(path, runAs.uid, runAs.gid);
  const { bavail, bsize } = statfsSync(dir);
  if (bavail * bsize < LEAST_FREE_BYTES)
    throw new StartError(
      `only ${Math.round((bavail * bsize) / 1e6)} MB are free for ${dir}; Halvik needs at least ${LEAST_FREE_BYTES / 1e6} MB to start`,
    );
}

/** Secrets and other files made by root belong to the user who reads them. */
export function handOver(path: string, runAs: RunAs | null): void {
  if (runAs && existsSync(path)) lchownSync(path, runAs.uid, runAs.gid);
}

/** As root: lets sockets have the receive buffer that the collector asks for. */
export function raiseReceiveBufferLimit(wantedBytes: number): void {
  if (process.getuid?.() !== 0) return;
  const file = "/proc/sys/net/core/rmem_max";
  try {
    if (Number(readFileSync(file, "utf8")) < wantedBytes) writeFileSync(file, String(wantedBytes));
  } catch {
    // a container may not allow it: Intake then says what the limit costs
  }
}
