import { connect, sayMachine } from "./harness.js";
import { LOAD, openStore } from "./store.js";
import { loadMinutes } from "./store-loader.js";

if (process.argv[2] === LOAD) {
  await loadMinutes(process.argv.slice(3));
  process.exit();
}

/** Makes a store, or opens one made before, and tells what it holds and takes. Usage: node scripts/bench.mjs make-store DIR [MILLIONS] */
const [directory, millions] = process.argv.slice(2);
if (!directory) throw new Error("usage: make-store DIR [MILLIONS]");
sayMachine();
const instance = await openStore(directory, Number(millions ?? 20));
const client = await connect(instance);
const { rows } = await client.query<{ shape: string; rows: number; segments: number; heap: number; btrees: number }>(
  `select shape, sum(rows)::bigint as rows, count(*)::int as segments, sum(pg_table_size(('segments.' || name)::regclass))::bigint as heap,
     sum(pg_indexes_size(('segments.' || name)::regclass))::bigint as btrees from segment group by shape order by shape`,
);
for (const r of rows)
  console.log(
    `${r.shape}: ${r.rows} rows in ${r.segments} segments, ${(r.heap / r.rows).toFixed(0)} bytes a row and ${(r.btrees / r.rows).toFixed(0)} of B-trees`,
  );
const total = rows.reduce((sum, r) => sum + r.rows, 0);
const sizes = await client.query<{ name: string; bytes: number }>(
  `select relname as name, pg_total_relation_size(oid) as bytes from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace
     and pg_total_relation_size(oid) > 1000000 order by 2 desc`,
);
for (const s of sizes.rows) console.log(`${s.name}: ${(s.bytes / total).toFixed(1)} bytes a record`);
const whole = await client.query<{ bytes: number }>("select pg_database_size(current_database()) as bytes");
console.log(
  `in all ${(whole.rows[0]!.bytes / 1e9).toFixed(2)} GB, ${(whole.rows[0]!.bytes / total).toFixed(0)} bytes a record`,
);
await client.end();
await instance.dispose();
