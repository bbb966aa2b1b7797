import { spawn } from "node:child_process";
import { connect, sayMachine, settle, startBench, usage } from "./harness.js";

/** Full path of flows, or of all kinds mixed, at a rate for a time: decode, normalise, indexes, rollups, rules. */
const mode = process.argv[2] ?? "flow";
const perSecond = Number(process.argv[3] ?? 60_000);
const seconds = Number(process.argv[4] ?? 30);
const runs = Number(process.argv[5] ?? 1);

sayMachine();
for (let run = 1; run <= runs; run++) {
  const { instance, stop, collector } = await startBench(["collector", "engine", "keeper", "web"]);
  const client = await connect(instance);
  try {
    const { config } = instance;
    // these benches have no need of one that was admitted
    await client.query("update endpoint_config set settings = settings - 'communities' where kind = 'snmp'");
    const ports = {
      syslog: config.HALVIK_SYSLOG_UDP_PORT,
      snmp: config.HALVIK_SNMP_PORT,
      flow: config.HALVIK_IPFIX_PORT,
    };
    const memory: number[] = [];
    const timer = setInterval(() => memory.push(usage(collector.child.pid!).nowMb), 5_000);
    const load = await new Promise<{ sent: number; datagrams: number; octets: number; tookSeconds: number }>(
      (done, failed) => {
        const child = spawn(
          process.execPath,
          ["--import", "tsx", "bench/kind-sender.ts", mode, String(perSecond), String(seconds), JSON.stringify(ports)],
          {
            stdio: ["ignore", "pipe", "inherit"],
            env: { ...process.env, NODE_OPTIONS: "" },
          },
        );
        let out = "";
        child.stdout.on("data", (b: Buffer) => {
          out += b.toString();
        });
        child.once("exit", (code) =>
          code === 0 ? done(JSON.parse(out)) : failed(new Error(`the sender ended with ${code}`)),
        );
      },
    );
    clearInterval(timer);
    const atEndMs = performance.now();
    const stored = await settle(client);
    const { cpuSeconds, peakMb } = usage(collector.child.pid!);
    const status = await client.query<{ detail: Record<string, number> }>(
      "select detail from role_status where role = 'collector'",
    );
    const { detail } = status.rows[0]!;
    const size = await client.query<{ shape: string; bytes: number; rows: number }>(
      "select shape, sum(pg_total_relation_size('segments.' || name))::bigint as bytes, sum(rows)::bigint as rows from segment group by shape",
    );
    console.log(
      `run ${run}: ${mode}, ${perSecond}/s for ${seconds} s in ${load.datagrams} datagrams of ${Math.round(load.octets / load.datagrams)} bytes: sent ${load.sent} records, stored ${stored}, lost ${load.sent - stored}; ` +
        `settled ${Math.max(0, (performance.now() - atEndMs) / 1000 - 6).toFixed(0)} s after the end; spooled ${detail.spooled} datagrams; sequence gaps ${detail["sequence gaps"]}; collector ${((cpuSeconds / load.sent) * 1e6).toFixed(1)} µs of processor a record, ${peakMb.toFixed(0)} MB at most, by 5 s ${memory.map((m) => m.toFixed(0)).join(" ")}`,
    );
    for (const s of size.rows)
      console.log(`  ${s.shape}: ${s.rows} rows, ${(s.bytes / s.rows).toFixed(0)} bytes each with indexes`);
  } finally {
    await client.end();
    await stop();
  }
}
