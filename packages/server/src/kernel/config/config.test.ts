import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { loadConfig, SETTINGS } from "./config.js";

const dir = () => mkdtempSync(join(tmpdir(), "halvik-config-"));

describe("configuration", () => {
  test("defaults", () =>
    expect(loadConfig({ HALVIK_DATA_DIR: dir() })).toMatchObject({
      HALVIK_HTTP_PORT: 8480,
      HALVIK_SYSLOG_UDP_PORT: 5514,
      HALVIK_LISTEN_HOST: "127.0.0.1",
    }));
  test("the environment comes before the file, the file before defaults; an empty variable counts as none", () => {
    const data = dir();
    writeFileSync(join(data, "halvik.conf"), "# ports\nHALVIK_HTTP_PORT = 9000\nHALVIK_DB_PORT=9001\n");
    expect(loadConfig({ HALVIK_DATA_DIR: data, HALVIK_HTTP_PORT: "9002", HALVIK_DB_PORT: "" })).toMatchObject({
      HALVIK_HTTP_PORT: 9002,
      HALVIK_DB_PORT: 9001,
    });
  });
  test.each([
    ["HALVIK_HTTP_PORT", "70000"],
    ["HALVIK_HTTP_PORT", "0x10"],
    ["HALVIK_HTTP_PORT", " 80"],
    ["HALVIK_ZONE", "Mars/Olympus"],
    ["HALVIK_SECURE_COOKIES", "yes"],
    ["HALVIK_DB_NAME", "a;b"],
  ])("%s=%j is refused with its name", (name, value) => {
    expect(() => loadConfig({ HALVIK_DATA_DIR: dir(), [name]: value })).toThrow(name);
  });
  test("an unknown name in the file is refused with its line", () => {
    const data = dir();
    writeFileSync(join(data, "halvik.conf"), "\nHALVIK_HTPP_PORT=1\n");
    expect(() => loadConfig({ HALVIK_DATA_DIR: data })).toThrow("line 2");
  });
  test("docs/configuration.md lists every setting and no other", () => {
    const text = readFileSync("docs/configuration.md", "utf8");
    const listed = [...text.matchAll(/^\| `(HALVIK_\w+)`/gm)].map((m) => m[1]);
    expect(listed.sort()).toEqual(Object.keys(SETTINGS).sort());
  });
});
