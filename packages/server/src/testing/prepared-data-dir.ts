import { spawnSync } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { join } from "node:path";

/** The directory of this run of Jest, set by `prepare-run.ts`. */
export const PREPARED_IN = "HALVIK_TEST_PREPARED";
const WAIT_MS = 200_000;

/**
 * Fills a data directory with one that is made once in a run of the tests: making a cluster and its schema takes longer than most tests.
 * @param make makes a data directory at a path, stopped, and tells its owner's one-time password
 * @returns that password, or null where no run prepares anything (a benchmark)
 */
export async function fillFromPrepared(
  dataDir: string,
  make: (dir: string) => Promise<string>,
): Promise<string | null> {
  const root = process.env[PREPARED_IN];
  if (root === undefined) return null;
  const made = join(root, "data");
  const told = join(root, "owner-password");
  if (isFirst(join(root, "making"))) {
    writeFileSync(`${told}.new`, await make(made), { mode: 0o600 });
    renameSync(`${told}.new`, told);
  }
  const until = performance.now() + WAIT_MS;
  while (!existsSync(told)) {
    if (performance.now() > until) throw new Error(`no data directory was prepared in ${root} within ${WAIT_MS} ms`);
    await new Promise((later) => setTimeout(later, 100));
  }
  const copied = spawnSync("cp", ["-a", "--reflink=auto", `${made}/.`, dataDir], { encoding: "utf8" });
  if (copied.status !== 0) throw new Error(`the prepared data directory cannot be copied: ${copied.stderr}`);
  return readFileSync(told, "utf8");
}

/** Test files run at the same time: one of them makes it. */
function isFirst(mark: string): boolean {
  try {
    mkdirSync(mark);
    return true;
  } catch (e) {
    if ((e as NodeJS.ErrnoException).code === "EEXIST") return false;
    throw e;
  }
}
