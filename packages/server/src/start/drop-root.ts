/** The user the roles become once their sockets are bound; set by the start command when it runs as root. */
export function dropRoot(): void {
  const uid = Number(process.env.HALVIK_RUN_AS_UID);
  const gid = Number(process.env.HALVIK_RUN_AS_GID);
  if (process.getuid?.() !== 0 || !Number.isInteger(uid) || uid <= 0) return;
  process.setgroups?.([]);
  process.setgid?.(gid);
  process.setuid?.(uid);
}
