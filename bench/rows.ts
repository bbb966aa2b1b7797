import { spawn } from "node:child_process";
import { readRows, rowsBetween, selectFrom } from "../packages/server/src/store/record-rows.js";
import { connect, sayMachine, settle, startBench } from "./harness.js";

/** What reading a stored row costs, as text that a statement gives and by COPY: rows of the mix, for people and for rules, several times over. */
const SECONDS = Number(process.argv[2] ?? 14);
const ROUNDS = Number(process.argv[3] ?? 4);
const AT_ONCE = 5_000;

sayMachine();
const { instance, stop } = await startBench(["collector", "web"]);
const client = await connect(instance);
await client.query("update endpoint_config set settings = settings - 'communities' where kind = 'snmp'");
const { config } = instance;
const ports = JSON.stringify({
  syslog: config.HALVIK_SYSLOG_UDP_PORT,
  snmp: config.HALVIK_SNMP_PORT,
  flow: config.HALVIK_IPFIX_PORT,
});
await new Promise((done) =>
  spawn(process.execPath, ["--import", "tsx", "bench/kind-sender.ts", "mixed", "15000", String(SECONDS), ports], {
    stdio: "ignore",
    env: { ...process.env, NODE_OPTIONS: "" },
  }).once("exit", done),
);
await settle(client);
let making = 0;
const { rows: segments } = await client.query<{ name: string; shape: string; rows: number }>(
  "select name, shape, rows from segment where rows > 1000 order by name",
);
for (let round = 1; round <= ROUNDS; round++)
  for (const { name, shape, rows } of segments)
    for (const reader of ["people", "rules"] as const)
      for (const how of ["text", "COPY"] as const) {
        const before = process.cpuUsage();
        const began = performance.now();
        let read = 0;
        making = 0;
        for (let after = "0"; ; ) {
          const records =
            how === "COPY"
              ? await rowsBetween(client, name, { after, most: AT_ONCE, reader })
              : await asText(name, after, reader);
          read += records.length;
          if (records.length < AT_ONCE) break;
          after = records.at(-1)!.id;
        }
        if (read !== rows) throw new Error(`${name} holds ${rows} rows, ${read} were read`);
        const { user, system } = process.cpuUsage(before);
        const ms = performance.now() - began;
        console.log(
          `round ${round}: ${shape}, for ${reader}, ${how}: ${((ms * 1_000) / rows).toFixed(1)} µs a row, ${((user + system) / rows).toFixed(1)} µs of this processor${making > 0 ? `, ${((making * 1_000) / rows).toFixed(1)} of them to make records of rows` : ""}`,
        );
      }
await client.end();
await stop();

/** The next rows as a statement gives them. */
async function asText(segment: string, after: string, reader: "people" | "rules") {
  const sql = `${selectFrom(segment, reader)} where r.id > $1::bigint order by r.id limit ${AT_ONCE}`;
  const { rows } = await client.query(sql, [after]);
  const began = performance.now();
  const records = readRows(segment, rows);
  making += performance.now() - began;
  return records;
}
