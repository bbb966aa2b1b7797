import { spawnSync } from "node:child_process";
import { existsSync, lchownSync } from "node:fs";
import { StartError } from "../start-error.js";

/** A user of the system, with its own group. */
export interface RunAs {
  readonly uid: number;
  readonly gid: number;
}

const MAIN_USER = "halvik";
/** useradd refuses while another one writes the list of users. */
const TRIES = 5;
/** Two that make the same user at once both do, and the later one's number replaces the other's, who then owns files of nobody. */
const ONE_AT_A_TIME = ["/etc"];
const NO_SHELL = "/usr/sbin/nologin";

const known = new Map<string, RunAs>();

/** As root: who PostgreSQL and the supervisor run as; made if there is none. Null: everything runs as whoever started it. */
export const runAsUser = (): RunAs | null => systemUser(MAIN_USER);

/** As root: who a role runs as, so that none can read another's memory or files, the secrets or the cluster; made if there is none. */
export const roleUser = (role: string): RunAs | null => systemUser(`${MAIN_USER}-${role}`);

/** What root made belongs to the user who works with it. Never through a link: that user could have put one there. */
export function handOver(path: string, to: RunAs | null = runAsUser()): void {
  if (to && existsSync(path)) lchownSync(path, to.uid, to.gid);
}

/** @throws {StartError} where the user cannot be made */
function systemUser(name: string): RunAs | null {
  if (process.getuid?.() !== 0) return null;
  let user = known.get(name) ?? knownUser(name);
  let said = "";
  for (let i = 0; user === null && i < TRIES; i++) {
    const made = spawnSync(
      "flock",
      [...ONE_AT_A_TIME, "useradd", "--system", "--user-group", "--no-create-home", "--shell", NO_SHELL, name],
      { encoding: "utf8" },
    );
    said = made.error?.message ?? made.stderr;
    user = knownUser(name);
  }
  if (user === null) throw new StartError(`the user “${name}” cannot be made: ${said.trim()}`);
  known.set(name, user);
  return user;
}

/** A user that packages of the system made. @returns null when there is none */
export function knownUser(name: string): RunAs | null {
  // as in /etc/passwd, wherever the system keeps it: name, password, user, group (passwd(5))
  const { status, stdout } = spawnSync("getent", ["passwd", name], { encoding: "utf8" });
  const [, , uid, gid] = status === 0 ? stdout.trim().split(":") : [];
  return uid !== undefined && gid !== undefined ? { uid: Number(uid), gid: Number(gid) } : null;
}
