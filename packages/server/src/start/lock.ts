import { spawn, spawnSync } from "node:child_process";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { StartError } from "../kernel/start-error.js";

const CONFLICT = 75;
/** One that has just ended lets go within moments: whoever starts again at once waits for that. */
const WAIT_SECONDS = "3";

/**
 * One Halvik per data directory: a lock on a file, held by a process of its own for as long as this one lives (flock(1), flock(2)). Nothing is
 * left of it after a crash, whatever stands in the file; what stands there is for people: the number of the process that holds it.
 * @returns how to give it up
 * @throws {StartError} when another one holds it
 */
export async function takeLock(dataDir: string): Promise<() => void> {
  const file = join(dataDir, "halvik.lock");
  // cat ends, and with it the lock, when nobody holds the other end of its input any more
  const holder = spawn("flock", ["--timeout", WAIT_SECONDS, "--conflict-exit-code", String(CONFLICT), file, "cat"], {
    stdio: ["pipe", "pipe", "pipe"],
    // Ctrl-C is for this process alone
    detached: true,
  });
  let said = "";
  holder.stderr.on("data", (b: Buffer) => {
    said = (said + b.toString()).slice(-500);
  });
  holder.stdin.on("error", () => undefined);
  await new Promise<void>((resolve, reject) => {
    holder.once("error", (e) => reject(new StartError(`flock cannot be run: ${e.message}`)));
    holder.once("exit", (code) =>
      reject(
        new StartError(
          code === CONFLICT
            ? `Halvik already runs on ${dataDir}${holderOf(file)}`
            : `the lock ${file} cannot be taken: ${said.trim() || `flock ended with ${code}`}`,
        ),
      ),
    );
    holder.stdout.once("data", () => resolve());
    holder.stdin.write("held\n");
  });
  holder.unref();
  writeFileSync(file, `${process.pid}\n`);
  return () => holder.stdin.end();
}

/** Whether a Halvik runs on a data directory. */
export function lockIsHeld(dataDir: string): boolean {
  const file = join(dataDir, "halvik.lock");
  return (
    existsSync(file) &&
    spawnSync("flock", ["--nonblock", "--conflict-exit-code", String(CONFLICT), file, "true"]).status === CONFLICT
  );
}

function holderOf(file: string): string {
  try {
    const pid = /^\d{1,10}$/.exec(readFileSync(file, "utf8").trim())?.[0];
    return pid === undefined ? "" : ` (process ${pid})`;
  } catch {
    return "";
  }
}
