import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { cpus, tmpdir } from "node:os";
import { join } from "node:path";
import { Random } from "@halvik/simulator";

/**
 * `bin/halvik decode` of a file of syslog lines to a file, as a person runs it: processor seconds of the whole process, its start included.
 * The lines are of four programs: logons, a service manager, an application that speaks in `key=value`, and a backup.
 */
const [count = 500_000, runs = 3] = process.argv.slice(2).map(Number);
const random = new Random("decode command");
const HOSTS = ["dc-1", "till-3", "web-2", "store-1.orvane.example", "quay-7"];
const USERS = ["k.lind", "m.aas", "root", "svc-backup", "oper"];
const TEXTS: readonly (() => string)[] = [
  () =>
    `sshd[${random.int(1, 30_000)}]: ${random.pick(["Failed", "Accepted"])} password for ${random.pick(USERS)} from 10.20.${random.int(0, 9)}.${random.int(1, 250)} port ${random.int(1_024, 65_535)} ssh2`,
  () =>
    `systemd[1]: ${random.pick(["Started", "Stopped", "Reloaded"])} ${random.pick(["ticket", "tide", "berth"])}-${random.int(1, 90)}.service.`,
  () =>
    `booking[${random.int(1, 9_000)}]: level=info route=/sailings/${random.int(1, 400)} user=${random.pick(USERS)} took=${random.int(1, 900)}ms status=${random.pick([200, 304, 404, 500])}`,
  () =>
    `backup[${random.int(1, 9_000)}]: copied ${random.int(1, 90_000)} files of /srv/${random.pick(HOSTS)} in ${random.int(1, 3_000)} s`,
];
const line = (i: number): string => {
  const at = new Date(Date.UTC(2026, 9, 1) + i * 700).toISOString();
  return `<${8 * random.pick([3, 4, 10, 16]) + random.int(3, 6)}>${at.slice(0, 19)}Z ${random.pick(HOSTS)} ${random.pick(TEXTS)()}`;
};

console.log(`${cpus()[0]?.model}, Node ${process.version}; ${count.toLocaleString("en")} lines`);
const place = mkdtempSync(join(tmpdir(), "halvik-decode-"));
try {
  const file = join(place, "lines.log");
  writeFileSync(file, `${Array.from({ length: count }, (_, i) => line(i)).join("\n")}\n`);
  for (let run = 1; run <= runs; run++) {
    // what children took is told by the shell alone
    const timed = `TIMEFORMAT='%U %S'; { time bin/halvik decode --kind syslog "$0" > "$0.json"; } 2>&1`;
    const [user = 0, system = 0] = execFileSync("bash", ["-c", timed, file], { encoding: "utf8" })
      .trim()
      .split(" ")
      .map(Number);
    const rate = Math.round(count / (user + system)).toLocaleString("en");
    console.log(`run ${run}: ${user.toFixed(2)} + ${system.toFixed(2)} s of processor, ${rate} lines a second of it`);
  }
} finally {
  rmSync(place, { recursive: true, force: true });
}
