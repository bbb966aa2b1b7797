import { execFile, spawnSync } from "node:child_process";
import { promisify } from "node:util";
import { knownUser } from "./owners.js";

const run = promisify(execFile);
const ROLE = `test-${process.pid}`;
const NAME = `halvik-${ROLE}`;
const OWNERS = new URL("./owners.ts", import.meta.url).pathname;

afterAll(() => {
  spawnSync("flock", ["/etc", "userdel", NAME]);
});

const asRoot = process.getuid?.() === 0 ? test : test.skip;

asRoot("a user that several make at once has one number, and all know it", async () => {
  // all have read the program by then, and begin within the same millisecond
  const at = Date.now() + 3_000;
  const script = `import { roleUser } from ${JSON.stringify(OWNERS)};
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, ${at} - Date.now());
    console.log(JSON.stringify(roleUser(${JSON.stringify(ROLE)})));`;
  const told = await Promise.all(
    Array.from({ length: 6 }, () =>
      run(process.execPath, ["--import", "tsx", "--input-type=module", "-e", script]).then(
        ({ stdout }) => JSON.parse(stdout) as unknown,
      ),
    ),
  );
  const user = knownUser(NAME);
  expect(user).not.toBeNull();
  expect(told).toEqual(told.map(() => user));
});
