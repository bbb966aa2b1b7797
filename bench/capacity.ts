import { spawnSync } from "node:child_process";
import { join, resolve } from "node:path";
import { US_PER_MINUTE } from "@halvik/core/base/time";
import { capacity } from "../packages/server/src/domains/capacity/capacity.js";
import { loadDirectory } from "../packages/server/src/domains/intake/senders/directory-cache.js";
import { connect, sayMachine } from "./harness.js";
import { LOAD, openStore, STORE_DAYS, STORE_ENDS_MINUTE } from "./store.js";
import { loadMinutes } from "./store-loader.js";

if (process.argv[2] === LOAD) {
  await loadMinutes(process.argv.slice(3));
  process.exit();
}

/**
 * What Halvik says a store takes, from the rate of its last seven days and its octets a record, against what the file system says.
 * Usage: node scripts/bench.mjs capacity DIR [MILLIONS]
 */
const [directory, millions] = process.argv.slice(2);
if (!directory) throw new Error("usage: capacity DIR [MILLIONS]");
sayMachine();
const instance = await openStore(directory, Number(millions ?? 20));
const client = await connect(instance);
const nowUs = STORE_ENDS_MINUTE * US_PER_MINUTE;
const keep = { records: STORE_DAYS, flows: STORE_DAYS, byKind: new Map() };
const disk = { bytes: 0, free: Number.MAX_SAFE_INTEGER, shed: 0 };
const started = performance.now();
const said = await capacity(
  client,
  await loadDirectory(client, "UTC"),
  keep,
  disk,
  { devices: [], records: undefined, flows: undefined, sender: undefined, keep: undefined },
  nowUs,
);
const tookMs = performance.now() - started;
const { rows } = await client.query<{ oid: number }>("select oid from pg_database where datname = current_database()");
await client.query("checkpoint");
const du = (...of: string[]): number =>
  Number(/^\d+/.exec(spawnSync("du", ["-s", "-B1", join(resolve(directory), ...of)], { encoding: "utf8" }).stdout));
const database = du("postgres", "base", String(rows[0]!.oid));
const planned = said.streams.reduce((sum, s) => sum + s.recordsADay * STORE_DAYS * s.bytesARecord, 0);
const GB = 1e9;
for (const s of said.streams)
  console.log(
    `${s.kind}: ${Math.round(s.recordsADay).toLocaleString("en")} a day, ${s.bytesARecord.toFixed(0)} octets each${s.measured ? "" : " (usual)"}`,
  );
console.log(
  `said: ${(planned / GB).toFixed(2)} GB for ${STORE_DAYS} days of ${said.store.records.toLocaleString("en")} records, in ${tookMs.toFixed(0)} ms; the database on disk ${(database / GB).toFixed(2)} GB (${((planned / database - 1) * 100).toFixed(1)} %), all of PostgreSQL ${(du("postgres") / GB).toFixed(2)} GB, of it its log of changes ${(du("postgres", "pg_wal") / GB).toFixed(2)} GB`,
);
await client.end();
await instance.dispose();
