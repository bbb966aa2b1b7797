import {
  chmodSync,
  closeSync,
  constants,
  existsSync,
  fchmodSync,
  fchownSync,
  fstatSync,
  lchownSync,
  lstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  renameSync,
  rmdirSync,
  statSync,
  unlinkSync,
} from "node:fs";
import { join } from "node:path";
import { collectorDir, mailSinkDir, rolesDir, uploadsDir } from "../kernel/config/data-dir.js";
import { type RunAs, roleUser } from "../kernel/files/owners.js";
import { StartError } from "../kernel/start-error.js";

interface RoleDir {
  readonly name: string;
  readonly user: RunAs | null;
  /** Where another role's user reads or removes what lies in it. */
  readonly group: RunAs | null;
  readonly mode: number;
}

const roleDirs = (): readonly RoleDir[] => {
  const [collector, web] = [roleUser("collector"), roleUser("web")];
  return [
    { name: "collector", user: collector, group: null, mode: 0o700 },
    // set-group-id: what the web role puts there is of the collector's group, whose user reads it in and removes it
    { name: "uploads", user: web, group: collector, mode: web ? 0o2770 : 0o700 },
    { name: "mail-sink", user: web, group: null, mode: 0o700 },
    { name: "notifier", user: roleUser("notifier"), group: null, mode: 0o755 },
  ];
};

/** Where a version before this one had what is a role's now. */
const MOVED = (dataDir: string): readonly (readonly [from: string, to: string])[] => [
  ...["spool", "quarantine", "snmp-engine.json", "endpoints.json"].map(
    (name) => [join(dataDir, name), join(collectorDir(dataDir), name)] as const,
  ),
  ...filesOf(join(dataDir, "uploads")).map(
    (name) => [join(dataDir, "uploads", name), join(uploadsDir(dataDir), name)] as const,
  ),
  ...filesOf(join(dataDir, "mail-sink")).map(
    (name) => [join(dataDir, "mail-sink", name), join(mailSinkDir(dataDir), name)] as const,
  ),
];

/**
 * Makes the directories of the roles, each its user's where root makes them; takes over those of one user, and what lay elsewhere before.
 * Halvik must not run on the directory. The directory around them is another unprivileged user's: as root nothing in it is followed.
 * @throws {StartError} where they belong to users that this one cannot be
 */
export function prepareRoleDirs(dataDir: string): void {
  const roles = rolesDir(dataDir);
  mkdirSync(roles, { recursive: true, mode: 0o711 });
  const isRoot = process.getuid?.() === 0;
  const fd = openSync(roles, constants.O_RDONLY | constants.O_DIRECTORY | constants.O_NOFOLLOW);
  try {
    const { uid } = fstatSync(fd);
    if (isRoot) {
      // from here on nobody but root changes what names stand in it
      fchownSync(fd, 0, 0);
      fchmodSync(fd, 0o711);
    } else if (uid !== process.getuid?.())
      throw new StartError(
        `Halvik was started as ${uid === 0 ? "root" : `user ${uid}`} on ${dataDir}: start it so again, or name another data directory with --data`,
      );
    // by the open directory, not by a name that its owner could give to another one meanwhile
    const inside = isRoot ? `/proc/self/fd/${fd}` : roles;
    for (const dir of roleDirs()) {
      const path = join(inside, dir.name);
      if (!existsSync(path)) mkdirSync(path, { mode: 0o700 });
      if (!lstatSync(path).isDirectory()) throw new StartError(`${join(roles, dir.name)} is no directory: remove it`);
      give(path, dir.user, dir.group);
      chmodSync(path, dir.mode);
    }
    for (const [from, to] of MOVED(dataDir)) {
      const target = join(inside, to.slice(roles.length));
      if (!existsSync(from) || existsSync(target)) continue;
      renameSync(from, target);
      const { uid: owner, gid } = lstatSync(join(target, ".."));
      give(target, isRoot ? { uid: owner, gid } : null, null);
    }
    for (const name of ["uploads", "mail-sink"]) if (isEmpty(join(dataDir, name))) rmdirSync(join(dataDir, name));
  } finally {
    closeSync(fd);
  }
}

/** Gives a tree to a user, where it is not that user's already. A file with a second name elsewhere, or a link, is nobody's to give. */
function give(path: string, user: RunAs | null, group: RunAs | null): void {
  const found = lstatSync(path);
  const gid = (group ?? user)?.gid;
  if (user === null || (found.uid === user.uid && found.gid === gid)) return;
  if (found.isDirectory()) {
    lchownSync(path, user.uid, gid!);
    for (const name of readdirSync(path)) give(join(path, name), user, group);
  } else if (found.isFile() && found.nlink === 1) lchownSync(path, user.uid, gid!);
  else unlinkSync(path);
}

function filesOf(dir: string): readonly string[] {
  try {
    return readdirSync(dir);
  } catch {
    return [];
  }
}

const isEmpty = (dir: string): boolean =>
  statSync(dir, { throwIfNoEntry: false })?.isDirectory() === true && filesOf(dir).length === 0;
