// Runs type check, lint, Jest and Playwright, and adds up what passed and failed. A step that cannot run counts as failed.
import { spawn, spawnSync } from "node:child_process";
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync, statfsSync } from "node:fs";
import { availableParallelism, tmpdir } from "node:os";
import { join } from "node:path";

process.env.TMPDIR = quickPlace();
const results = mkdtempSync(join(tmpdir(), "halvik-results-"));
let passed = 0;
let failed = 0;

/** The compiler as a program of its own: it takes a tenth of the time of the one that others are built on. */
const TSC = join("node_modules", "typescript-native", "bin", "tsc");

/** A program that came with the packages. */
function bin(name) {
  return join("node_modules", ".bin", name);
}

/** Tests make and remove databases by the dozen, thousands of files each: in memory, where there is enough, that takes a fraction of the time. */
function quickPlace() {
  const [memory, needed] = ["/dev/shm", 6e9];
  if (!existsSync(memory)) return tmpdir();
  const { bavail, bsize } = statfsSync(memory);
  if (bavail * bsize < needed) return tmpdir();
  const place = mkdtempSync(join(memory, "halvik-tests-"));
  // like any such place: the users of the database and of the roles work in it too
  chmodSync(place, 0o1777);
  process.once("exit", () => rmSync(place, { recursive: true, force: true }));
  for (const signal of ["SIGINT", "SIGTERM"]) process.once(signal, () => process.exit(1));
  return place;
}

/** Runs a step; `count` reads its results, otherwise the step itself is one check. */
function step(name, command, env = {}, count = null) {
  const started = Date.now();
  console.log(`\n== ${name}`);
  const [program, ...args] = command;
  const { status } = spawnSync(program, args, {
    stdio: "inherit",
    env: { ...process.env, ...env },
  });
  let counted = { passed: status === 0 ? 1 : 0, failed: status === 0 ? 0 : 1 };
  if (count) {
    try {
      counted = count();
    } catch (e) {
      console.log(`${name}: no results (${e.message})`);
      counted = { passed: 0, failed: 1 };
    }
    // a runner that fails for another reason than a test
    if (status !== 0 && counted.failed === 0) counted.failed = 1;
  }
  passed += counted.passed;
  failed += counted.failed;
  console.log(
    `== ${name}: ${counted.passed} passed, ${counted.failed} failed (${((Date.now() - started) / 1000).toFixed(0)} s)`,
  );
}

/** Runs checks that write nothing to share, as many at a time as there are processors; each tells what it said when it is done. */
async function readingChecks(checks) {
  const waiting = [...checks];
  const worker = async () => {
    for (let check = waiting.shift(); check; check = waiting.shift()) {
      const [name, command] = check;
      const started = Date.now();
      const said = [];
      const [program, ...args] = command;
      const child = spawn(program, args);
      for (const stream of [child.stdout, child.stderr]) stream.on("data", (part) => said.push(part));
      const status = await new Promise((done) => child.once("error", () => done(1)).once("close", done));
      if (status === 0) passed++;
      else failed++;
      const seconds = ((Date.now() - started) / 1000).toFixed(0);
      console.log(`${Buffer.concat(said)}== ${name}: ${status === 0 ? "passed" : "failed"} (${seconds} s)`);
    }
  };
  await Promise.all(Array.from({ length: availableParallelism() }, worker));
}

await readingChecks([
  // the longest, begun first; longer runs and other seeds are told in docs/ordeal.md
  [
    "what hostile inputs become fits the store",
    [process.execPath, "scripts/bench.mjs", "packages/server/src/testing/judge-hostile.ts", "60000"],
  ],
  // core and the contract by themselves, with nothing of Node or a browser about them; the server with bench, simulator and core's tests
  ...["packages/server", "packages/web", "packages/core", "packages/contract", "e2e"].map((project) => [
    `types of ${project}`,
    [TSC, "-p", project],
  ]),
  ["lint", [bin("biome"), "check", "."]],
  ["imports go one way", [bin("depcruise"), "--config", ".dependency-cruiser.cjs", "packages"]],
  ["nothing ships that only tests use", [bin("knip"), "--production"]],
  ["nothing is left unused", [bin("knip")]],
  ["folders import in no circle", [bin("depcruise"), "--config", ".dependency-cruiser.folders.cjs", "packages"]],
]);

const jest = join(results, "jest.json");
// many files in one process: what their tests leave behind is collected seldom, and by the thread that left it
const JEST = [process.execPath, "--max-semi-space-size=64", "--no-parallel-scavenge", bin("jest")];
step("unit and integration tests", [...JEST, "--json", `--outputFile=${jest}`], {}, () => {
  const { numPassedTests, numFailedTests, numRuntimeErrorTestSuites } = JSON.parse(readFileSync(jest, "utf8"));
  return { passed: numPassedTests, failed: numFailedTests + numRuntimeErrorTestSuites };
});

const e2e = join(results, "e2e.json");
step(
  "the interface in Chromium",
  [bin("playwright"), "test", "-c", "e2e/playwright.config.ts", "--reporter=line,json"],
  { PLAYWRIGHT_JSON_OUTPUT_NAME: e2e },
  () => {
    const { stats } = JSON.parse(readFileSync(e2e, "utf8"));
    return { passed: stats.expected + stats.flaky, failed: stats.unexpected + stats.skipped };
  },
);

rmSync(results, { recursive: true, force: true });
console.log(`\n${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
