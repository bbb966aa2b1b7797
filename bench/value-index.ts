import type { HalvikRecord } from "@halvik/core/model/record";
import { ShapeBook } from "@halvik/core/shapes";
import { readRows, selectFrom } from "../packages/server/src/store/record-rows.js";
import { ShapesSeen } from "../packages/server/src/store/shapes-seen.js";
import { ValuesSeen } from "../packages/server/src/store/sightings.js";
import { connect, sayMachine } from "./harness.js";
import { openStore } from "./store.js";

/** What first and last times cost a record, as the keeper takes them when it indexes a part; and learning its shape. Usage: node scripts/bench.mjs value-index DIR [MILLIONS] */
const ROWS = 131_072;
sayMachine();
const instance = await openStore(process.argv[2]!, Number(process.argv[3] ?? 20));
const client = await connect(instance);
const perRecord = (startedMs: number, n: number) => `${(((performance.now() - startedMs) * 1_000) / n).toFixed(2)} µs`;
for (const shape of ["record", "flow"]) {
  const { rows } = await client.query<{ name: string }>(
    "select name from segment where shape = $1 and rows > $2 order by name desc limit 1",
    [shape, ROWS],
  );
  const name = rows[0]!.name;
  const read = await client.query(`${selectFrom(name)} order by r.id limit ${ROWS}`);
  const records: HalvikRecord[] = readRows(name, read.rows);
  const book = new ShapeBook();
  const learnMs = performance.now();
  for (const record of records) book.learn(record);
  const learnt = perRecord(learnMs, records.length);
  const [values, shapes] = [new ValuesSeen(), new ShapesSeen()];
  const addMs = performance.now();
  for (const record of records) {
    values.add(record);
    shapes.add(record);
  }
  const added = perRecord(addMs, records.length);
  await client.query("begin");
  const writeMs = performance.now();
  await values.write(client);
  await shapes.write(client);
  const written = perRecord(writeMs, records.length);
  await client.query("rollback");
  console.log(`${shape}s: a shape ${learnt}, values noted ${added} and written ${written} a record (aim 8 in all)`);
}
const { rows: kept } = await client.query<{ n: number; bytes: number }>(
  "select count(*)::int as n, pg_total_relation_size('sighting') as bytes from sighting",
);
console.log(`${kept[0]!.n} values kept in ${(kept[0]!.bytes / 1e6).toFixed(0)} MB`);
await client.end();
await instance.dispose();
process.exit();
