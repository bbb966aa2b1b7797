import { chmodSync, existsSync, mkdirSync, readFileSync, statfsSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Config } from "../kernel/config/config.js";
import type { RunAs } from "../kernel/files/owners.js";
import { StartError } from "../kernel/start-error.js";
import { giveDataDir } from "./as-user.js";
import { prepareRoleDirs } from "./role-dirs.js";

const LEAST_FREE_BYTES = 500_000_000;

/**
 * The data directory, owned by the one who works in it, with room left on its disk.
 * @param runAs as root: who works in it
 */
export function makeDataDir(dir: string, runAs: RunAs | null): void {
  if (runAs) giveDataDir(dir, runAs);
  try {
    mkdirSync(dir, { recursive: true, mode: 0o700 });
  } catch (e) {
    throw new StartError(`the data directory ${dir} cannot be made: ${(e as Error).message}`);
  }
  const { bavail, bsize } = statfsSync(dir);
  if (bavail * bsize < LEAST_FREE_BYTES)
    throw new StartError(
      `only ${Math.round((bavail * bsize) / 1e6)} MB are free for ${dir}; Halvik needs at least ${LEAST_FREE_BYTES / 1e6} MB to start`,
    );
}

/** All of the data directory, where no Halvik runs on it. */
export function prepareDataDir(config: Config, runAs: RunAs | null): void {
  makeDataDir(config.HALVIK_DATA_DIR, runAs);
  prepareRoleDirs(config.HALVIK_DATA_DIR);
}

/**
 * The settings file may hold the mail server's password, and the roles' users come through the data directory.
 * @returns why it cannot be kept from them, in words
 */
export function closeSettingsFile(dataDir: string): string | null {
  const file = join(dataDir, "halvik.conf");
  if (!existsSync(file) || (statSync(file).mode & 0o077) === 0) return null;
  try {
    chmodSync(file, 0o600);
    return null;
  } catch {
    return `${file}, with any password in it (chown it to the user halvik)`;
  }
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
