import type { HalvikRecord } from "@halvik/core/model/record";
import { type FlowSeen, TrafficSums } from "@halvik/core/traffic";
import { DemoRecords } from "../packages/server/src/testing/demo-records.js";
import { sayMachine } from "./harness.js";

/** What it costs to sum the demo's flows, without the store: spread over time, counted once, by every dimension. */
const minutes = Number(process.argv[2] ?? 120);
const runs = Number(process.argv[3] ?? 3);
const FIRST = 29_300_000;

/** As the store gives it. */
function seenOf(r: HalvikRecord): FlowSeen | null {
  if (r.flow === null) return null;
  const { reverseBytes, reversePackets, ...flow } = r.flow;
  const { sender, timeUs, src, dst, srcPort, dstPort, protocol } = r;
  return {
    ...flow,
    ...{ sender, timeUs, src, dst, srcPort, dstPort, protocol },
    bytes: Number(r.bytes ?? 0),
    packets: Number(r.packets ?? 0),
    reverseBytes: Number(reverseBytes ?? 0),
    reversePackets: Number(reversePackets ?? 0),
  };
}

sayMachine();
for (const rate of [4, 60]) {
  const demo = new DemoRecords({ seed: 9, rate, storyEveryMinutes: 149 });
  const flows: FlowSeen[] = [];
  for (let m = FIRST; m < FIRST + Math.ceil((minutes * 4) / rate); m++)
    for (const record of demo.minute(m)) {
      const seen = seenOf(record);
      if (seen !== null) flows.push(seen);
    }
  const sites = new Map(demo.directory.senders.map((s) => [s.id, s.site]));
  const figures = Array.from({ length: runs }, () => {
    const sums = new TrafficSums({ ofExporter: (sender) => sites.get(sender) ?? null, ofAddress: () => null });
    const started = process.cpuUsage();
    for (const flow of flows) sums.add(flow);
    const added = process.cpuUsage(started);
    const rows = sums.take().map(({ level, rows: of }) => `${of.length} by the ${level.name}`);
    return { us: (added.user + added.system) / flows.length, rows };
  });
  console.log(
    `${flows.length.toLocaleString("en")} flows, ${rate} times the usual traffic: ${figures.map((f) => f.us.toFixed(1)).join(", ")} µs of processor a flow; rows ${figures[0]!.rows.join(", ")}`,
  );
}
