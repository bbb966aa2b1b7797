import { spawn } from "node:child_process";
import { chownSync, existsSync, mkdirSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { exportSenders } from "../packages/server/src/domains/intake/senders/csv.js";
import { runAsUser } from "../packages/server/src/kernel/files/owners.js";
import { indexNext } from "../packages/server/src/store/keeping/index-segments.js";
import { runCommand } from "../packages/server/src/testing/roles.js";
import { startTestInstance, type TestInstance } from "../packages/server/src/testing/test-database.js";
import { roster } from "../packages/simulator/src/roster.js";
import { connect } from "./harness.js";

/** 2026-11-01T00:00:00Z, so that every store of a size holds the same. */
export const STORE_ENDS_MINUTE = 29_692_800;
export const STORE_DAYS = Number(process.env.HALVIK_STORE_DAYS ?? 30);
/** Records a day that the simulator makes at its usual rate. */
const A_DAY = 168_000;
const LOADERS = 2;

/** First argument of the processes that load it. */
export const LOAD = "--load";

/** A store of about so many records of all kinds over 30 days, in a directory that is kept; made if it is not there yet. */
export async function openStore(directory: string, millions: number): Promise<TestInstance> {
  const dir = resolve(directory);
  mkdirSync(dir, { recursive: true });
  const runAs = runAsUser();
  if (runAs) chownSync(dir, runAs.uid, runAs.gid);
  const instance = await startTestInstance({}, dir);
  const marker = join(dir, "store-made");
  if (existsSync(marker)) return instance;
  const started = performance.now();
  await runCommand(instance.env, ["senders", "import", "-"], exportSenders(roster()));
  const client = await connect(instance);
  // what serves searches while a segment fills is dropped when it is sealed: not made here at all
  for (const template of ["template", "flow_template"]) {
    const { rows } = await client.query<{ name: string }>(
      "select indexrelid::regclass::text as name from pg_index where indrelid = $1::regclass and (indnkeyatts > 2 or indpred is not null)",
      [`segments.${template}`],
    );
    for (const { name } of rows) await client.query(`drop index ${name}`);
  }
  const rate = (millions * 1e6) / (A_DAY * STORE_DAYS);
  const first = STORE_ENDS_MINUTE - STORE_DAYS * 1_440;
  const loaders = Array.from({ length: LOADERS }, (_, i) => {
    const from = first + Math.round((i * STORE_DAYS * 1_440) / LOADERS);
    const to = first + Math.round(((i + 1) * STORE_DAYS * 1_440) / LOADERS);
    return load(instance, [`load-${i}`, String(from), String(to), String(rate), String(i + 1)]);
  });
  const counts = await Promise.all(loaders);
  const loadedMs = performance.now();
  const total = counts.reduce((a, b) => a + b, 0);
  console.log(`${total} records loaded in ${((loadedMs - started) / 1000).toFixed(0)} s by ${LOADERS} processes`);
  while (await indexNext(client));
  console.log(
    `indexed and sealed in ${((performance.now() - loadedMs) / 1000).toFixed(0)} s by one process: ${(((performance.now() - loadedMs) * 1e3) / total).toFixed(1)} µs a record`,
  );
  await client.query("vacuum analyze");
  await client.end();
  writeFileSync(marker, String(total));
  return instance;
}

function load(instance: TestInstance, args: readonly string[]): Promise<number> {
  return new Promise((done, failed) => {
    const child = spawn(process.execPath, [process.argv[1]!, LOAD, ...args], {
      env: { ...instance.env, NODE_OPTIONS: "--max-old-space-size=2048" },
      stdio: ["ignore", "pipe", "inherit"],
    });
    let out = "";
    child.stdout.on("data", (b: Buffer) => {
      out += b.toString();
    });
    child.once("exit", (code) => (code === 0 ? done(Number(out)) : failed(new Error(`a loader ended with ${code}`))));
  });
}
