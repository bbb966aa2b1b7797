import { dropSegment } from "../packages/server/src/store/segment-life.js";
import { connect, sayMachine } from "./harness.js";
import { openStore } from "./store.js";

/** How long it takes to drop the oldest segment of each shape of a store: about a day's records. They are gone afterwards. */
sayMachine();
const instance = await openStore(process.argv[2]!, 1);
const client = await connect(instance);
for (const shape of ["record", "flow"]) {
  const { rows } = await client.query<{ name: string; rows: number }>(
    "select name, rows from segment where shape = $1 order by max_time limit 1",
    [shape],
  );
  const { name, rows: count } = rows[0]!;
  const started = performance.now();
  await dropSegment(client, name, 0);
  console.log(`${shape}: ${count} rows dropped in ${(performance.now() - started).toFixed(0)} ms`);
}
await client.end();
await instance.dispose();
