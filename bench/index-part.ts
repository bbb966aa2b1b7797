import { PartBuilder } from "@halvik/core/query/terms";
import { readRows, selectFrom } from "../packages/server/src/store/record-rows.js";
import { connect, sayMachine } from "./harness.js";
import { openStore } from "./store.js";

/** What indexing costs, stage by stage, on the rows of a store. Usage: node scripts/bench.mjs index-part DIR */
sayMachine();
const instance = await openStore(process.argv[2]!, 1);
const client = await connect(instance);
for (const shape of ["record", "flow"]) {
  const { rows: segments } = await client.query<{ name: string }>(
    "select name from segment where shape = $1 order by rows desc limit 3",
    [shape],
  );
  for (const { name } of segments) {
    const t0 = performance.now();
    const { rows } = await client.query(`${selectFrom(name)} order by r.id limit 131072`);
    const t1 = performance.now();
    const records = readRows(name, rows);
    const t2 = performance.now();
    const builder = new PartBuilder();
    records.forEach((r, i) => {
      builder.add(r, { timeUs: r.timeUs, storedUs: 1_000_000 + i });
    });
    const t3 = performance.now();
    const part = builder.finish();
    const t4 = performance.now();
    const us = (a: number, b: number) => (((b - a) * 1e3) / rows.length).toFixed(1);
    const bytes = part.blocks.reduce((n, b) => n + b.terms.length + b.rows.length, 0);
    console.log(
      `${shape}: ${rows.length} rows: read ${us(t0, t1)}, make records ${us(t1, t2)}, gather terms ${us(t2, t3)}, sort and encode ${us(t3, t4)} µs each; ${part.blocks.length} blocks, ${(bytes / rows.length).toFixed(1)} bytes each`,
    );
  }
}
await client.end();
await instance.dispose();
