import {
  existsSync,
  linkSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { collectorDir, rolesDir, uploadsDir } from "../kernel/config/data-dir.js";
import { handOver, roleUser, runAsUser } from "../kernel/files/owners.js";
import { prepareRoleDirs } from "./role-dirs.js";

const isRoot = process.getuid?.() === 0;
let dataDir: string;
beforeEach(() => {
  dataDir = mkdtempSync(join(tmpdir(), "halvik-roles-"));
  handOver(dataDir);
});
afterEach(() => rmSync(dataDir, { recursive: true, force: true }));

/** As a version before this one left it, with what an intruder who was that version's user could have put there. */
function before(): void {
  for (const name of ["spool", "quarantine", "uploads", "mail-sink"]) mkdirSync(join(dataDir, name), { mode: 0o700 });
  for (const name of ["spool/0001.bin", "snmp-engine.json", "uploads/one", "mail-sink/a.eml"])
    writeFileSync(join(dataDir, name), "kept", { mode: 0o600 });
  writeFileSync(join(dataDir, "elsewhere"), "not the collector's", { mode: 0o600 });
  symlinkSync(join(dataDir, "elsewhere"), join(dataDir, "spool/link"));
  linkSync(join(dataDir, "elsewhere"), join(dataDir, "spool/second-name"));
  for (const name of [
    "spool",
    "quarantine",
    "uploads",
    "mail-sink",
    "spool/0001.bin",
    "snmp-engine.json",
    "uploads/one",
    "elsewhere",
  ])
    handOver(join(dataDir, name));
}

describe("the directories of the roles", () => {
  test("what lay elsewhere comes to its role, once", () => {
    before();
    prepareRoleDirs(dataDir);
    prepareRoleDirs(dataDir);
    expect(existsSync(join(collectorDir(dataDir), "spool/0001.bin"))).toBe(true);
    expect(existsSync(join(collectorDir(dataDir), "snmp-engine.json"))).toBe(true);
    expect(existsSync(join(uploadsDir(dataDir), "one"))).toBe(true);
    for (const name of ["spool", "uploads", "mail-sink"]) expect(existsSync(join(dataDir, name))).toBe(false);
  });

  // only root has users to give it to
  (isRoot ? describe : describe.skip)("as root", () => {
    test("each belongs to its user, what names another file to nobody", () => {
      before();
      prepareRoleDirs(dataDir);
      const collector = roleUser("collector")!;
      const spool = join(collectorDir(dataDir), "spool");
      expect(statSync(join(spool, "0001.bin")).uid).toBe(collector.uid);
      expect(existsSync(join(spool, "link"))).toBe(false);
      expect(existsSync(join(spool, "second-name"))).toBe(false);
      expect(lstatSync(join(dataDir, "elsewhere")).uid).toBe(runAsUser()!.uid);
      expect(statSync(rolesDir(dataDir)).uid).toBe(0);
      const uploads = statSync(uploadsDir(dataDir));
      expect([uploads.uid, uploads.gid, uploads.mode & 0o7777]).toEqual([roleUser("web")!.uid, collector.gid, 0o2770]);
    });

    test("a link in their place is not followed", () => {
      const target = mkdtempSync(join(tmpdir(), "halvik-target-"));
      symlinkSync(target, rolesDir(dataDir));
      expect(() => prepareRoleDirs(dataDir)).toThrow();
      rmSync(rolesDir(dataDir));
      mkdirSync(rolesDir(dataDir));
      symlinkSync(target, collectorDir(dataDir));
      expect(() => prepareRoleDirs(dataDir)).toThrow("is no directory");
      expect(statSync(target).uid).toBe(0);
      rmSync(target, { recursive: true });
    });
  });
});
