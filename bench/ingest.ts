import { connect, countStored, sayMachine, sendLoad, settle, startBench, usage } from "./harness.js";

/** Full path at a rate: decode, normalise, indexes, rollups and the rules, all roles running. */
const transport = process.argv[2] ?? "udp";
const perSecond = Number(process.argv[3] ?? 15_000);
const seconds = Number(process.argv[4] ?? 30);
const runs = Number(process.argv[5] ?? 1);

sayMachine();
for (let run = 1; run <= runs; run++) {
  const { instance, stop, collector } = await startBench(["collector", "engine", "keeper", "web"]);
  const client = await connect(instance);
  try {
    const load = await sendLoad(instance, transport, perSecond, seconds);
    const atEnd = await countStored(client);
    const stored = await settle(client);
    const { cpuSeconds, peakMb } = usage(collector.child.pid!);
    const endpoints = await client.query<{ name: string; counters: Record<string, number>; detail: string }>(
      "select name, counters, detail from endpoint",
    );
    const counters = endpoints.rows.find((e) => e.name.toLowerCase().includes(transport));
    const status = await client.query<{ detail: Record<string, number> }>(
      "select detail from role_status where role = 'collector'",
    );
    const engine = await client.query<{ lag: number }>(
      "select (heartbeat_us - (detail->>'throughUs')::bigint) / 1e6::float8 as lag from role_status where role = 'engine'",
    );
    console.log(
      `run ${run}: ${transport}, ${perSecond}/s for ${seconds} s, ${load.bytes.toFixed(0)} bytes each: sent ${load.sent} in ${load.tookSeconds.toFixed(1)} s, stored ${stored}, lost ${load.sent - stored}; ` +
        `not yet stored when the sender ended ${load.sent - atEnd}; spooled ${status.rows[0]?.detail.spooled ?? 0}; collector ${((cpuSeconds / load.sent) * 1e6).toFixed(1)} µs of processor a record, ${peakMb.toFixed(0)} MB at most; engine ${engine.rows[0]?.lag.toFixed(1)} s behind`,
    );
    console.log(`  ${JSON.stringify(counters?.counters)} ${counters?.detail ?? ""}`);
  } finally {
    await client.end();
    await stop();
  }
}
