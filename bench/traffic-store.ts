import { readFileSync } from "node:fs";
import { US_PER_HOUR, US_PER_SECOND } from "@halvik/core/base/time";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { sitesOf, TrafficSums, WAYS } from "@halvik/core/traffic";
import { BatchWriter } from "../packages/server/src/store/batches.js";
import { claimCollector } from "../packages/server/src/store/collectors.js";
import { IdSource } from "../packages/server/src/store/record-id.js";
import { sumFlows } from "../packages/server/src/store/traffic/sum-flows.js";
import { trafficSites } from "../packages/server/src/store/traffic/traffic-sites.js";
import { closeSteps } from "../packages/server/src/store/traffic/write-sums.js";
import { TestStore } from "../packages/server/src/testing/test-store.js";
import { sayMachine } from "./harness.js";

/**
 * What it costs to sum flows: so many millions of them over some time by the product's own storing and summing, so many summed at once; what sums
 * take on disk; counted once against the truth. Usage: node scripts/bench.mjs traffic-store [MILLIONS [SECONDS [FLOWS_AT_ONCE]]]
 */
const millions = Number(process.argv[2] ?? 2);
const SECONDS = Number(process.argv[3] ?? 3 * 86_400);
const AT_ONCE = Number(process.argv[4] ?? 200_000);
const KEEP = { minute: 2, five: 60, hour: 731 };
const BATCH = 20_000;
const END = Math.floor(Date.now() / 3_600_000) * US_PER_HOUR;
const START = END - SECONDS * US_PER_SECOND;

let seed = 7;
/** A number from 0 to 1 (mulberry32), so that every run has the same flows. */
function chance(): number {
  seed = (seed + 0x6d2b79f5) | 0;
  let t = Math.imul(seed ^ (seed >>> 15), 1 | seed);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
}
/** Few of them often, most of them seldom. */
const skewed = (most: number): number => Math.floor(most * chance() ** 3);
const PORTS = [443, 53, 80, 445, 22, 123, 3389, 25, 8443, 5432, 993, 161, 1883, 554, 23_470, 9_100];

interface Conversation {
  readonly src: string;
  readonly dst: string;
  readonly srcPort: number;
  readonly dstPort: number;
  readonly protocol: number;
  readonly bytes: number;
}

function conversation(): Conversation {
  const inside = `10.20.${skewed(8)}.${1 + skewed(250)}`;
  const outside = chance() < 0.5 ? `198.51.100.${1 + skewed(250)}` : `10.20.${skewed(8)}.${1 + skewed(250)}`;
  const [src, dst] = chance() < 0.5 ? [inside, outside] : [outside, inside];
  const port = PORTS[skewed(PORTS.length)]!;
  const client = 32_768 + Math.floor(chance() * 28_000);
  const [srcPort, dstPort] = chance() < 0.5 ? [client, port] : [port, client];
  return { src, dst, srcPort, dstPort, protocol: port === 53 || port === 123 ? 17 : 6, bytes: 60 + skewed(2_000_000) };
}

/** One exporter's telling of it. */
function content(c: Conversation, atUs: number): RecordContent {
  return Object.assign(emptyContent("flow", atUs, atUs + US_PER_SECOND), {
    category: "traffic" as const,
    ...c,
    packets: Math.ceil(c.bytes / 900),
    flow: {
      startUs: atUs - Math.floor(chance() * 55 * US_PER_SECOND),
      ingress: 1 + skewed(4),
      egress: 5 + skewed(4),
      tos: chance() < 0.1 ? 184 : 0,
      tcpFlags: c.protocol === 6 ? 27 : null,
      icmp: null,
      srcAs: null,
      dstAs: null,
      srcMask: null,
      dstMask: null,
      nextHop: null,
      vlan: null,
      direction: null,
      application: null,
      reverseBytes: 0,
      reversePackets: 0,
      samplingRate: 1,
      domain: 0,
      sequence: 0,
    },
  });
}

/** Sums what was stored and closes steps that are over, and counts what it took. */
async function sum(nowUs: number): Promise<void> {
  const [before, beforeMs] = [process.cpuUsage(), performance.now()];
  while (await sumFlows(store.keeper as never, sums, KEEP, nowUs));
  while (await closeSteps(store.keeper as never, KEEP, nowUs));
  const used = process.cpuUsage(before);
  sumCpu += used.user + used.system;
  sumMs += performance.now() - beforeMs;
  unsummed = 0;
}

sayMachine();
const store = await TestStore.start();
const size = async (sql: string): Promise<number> =>
  Number((await store.client.query<{ n: string }>(`select (${sql})::text as n`)).rows[0]!.n);
const exporters: number[] = [];
for (let i = 0; i < 12; i++) exporters.push(await store.addSender(`rt-${i + 1}`, `Site ${1 + (i % 4)}`));
await store.client.query(
  "insert into list (name, kind, about, author, changed_us) values ('own networks', 'address', '', 'bench', 0)",
);
await store.client.query(
  "insert into list_entry (list, value, note, author, added_us) select 1, '10.20.' || n || '.0/24', 'Site ' || 1 + n % 4, 'bench', 0 from generate_series(0, 7) n",
);
const claim = await claimCollector(store.client, "bench", "live");
const writer = new BatchWriter(store.client, claim.number, null);
const ids = new IdSource(claim.number, 0);
const sums = new TrafficSums(sitesOf(await trafficSites(store.client, START, END)));

let truth = 0;
let number = 0;
const total = millions * 1_000_000;
let stored = 0;
let sumCpu = 0;
let unsummed = 0;
const backend = (await store.keeper.query<{ pid: number }>("select pg_backend_pid() as pid")).rows[0]!.pid;
/** Processor time of the connection's own process of PostgreSQL, in µs; Linux counts it in hundredths of a second. */
const backendCpu = (): number => {
  const fields = readFileSync(`/proc/${backend}/stat`, "utf8").split(") ")[1]!.split(" ");
  return (Number(fields[11]) + Number(fields[12])) * 10_000;
};
const backendBegan = backendCpu();
let sumMs = 0;
const beganMs = performance.now();
let nextTell = total / 10;
while (stored < total) {
  const records: {
    sender: number;
    content: RecordContent;
    id: ReturnType<IdSource["next"]>;
    endpoint: string;
    copyOf: null;
  }[] = [];
  const fromUs = START + Math.floor(((END - START) * stored) / total);
  const widthUs = Math.floor(((END - START) * BATCH) / total);
  while (records.length < BATCH) {
    const c = conversation();
    truth += c.bytes;
    const atUs = fromUs + Math.floor((widthUs * records.length) / BATCH);
    const first = Math.floor(chance() * exporters.length);
    // every second one is told of by the next exporter on its way too
    const hops = chance() < 0.5 ? 1 : 2;
    const flow = content(c, atUs);
    for (let hop = 0; hop < hops; hop++)
      records.push({
        id: ids.next(atUs),
        sender: exporters[(first + hop) % exporters.length]!,
        content: flow,
        endpoint: "flows",
        copyOf: null,
      });
  }
  const atUs = fromUs + widthUs;
  await writer.commit({ number: ++number, records, throughUs: 0, runRules: false }, atUs);
  stored += records.length;
  unsummed += records.length;
  if (unsummed >= AT_ONCE) await sum(atUs);
  if (stored >= nextTell) {
    console.log(
      `${(stored / 1e6).toFixed(1)} M stored and summed after ${((performance.now() - beganMs) / 1_000).toFixed(0)} s`,
    );
    nextTell += total / 10;
  }
}
await sum(END);
await writer.close();
const seconds = (performance.now() - beganMs) / 1_000;
console.log(
  `${(stored / 1e6).toFixed(1)} M flows stored and summed in ${seconds.toFixed(0)} s, one after the other in one process; summing ${(sumCpu / stored).toFixed(1)} µs of its processor a flow and ${((backendCpu() - backendBegan) / stored).toFixed(1)} of PostgreSQL's, ${Math.round(stored / (sumMs / 1_000)).toLocaleString("en")} flows/s`,
);
await store.client.query("vacuum analyze");
const flowBytes = await size(
  "select sum(pg_total_relation_size(('segments.' || name)::regclass)) from segment where shape = 'flow'",
);
console.log(`flow tables ${(flowBytes / 1e9).toFixed(2)} GB, ${(flowBytes / stored).toFixed(0)} bytes a flow`);
for (const [level, name] of ["minute", "five minutes", "hour"].entries()) {
  const bytes = await size(`select coalesce(sum(pg_column_size(t.*)), 0) from traffic_sum t where level = ${level}`);
  const rows = await size(`select count(*) from traffic_sum where level = ${level}`);
  console.log(
    `sums by the ${name}: ${rows.toLocaleString("en")} rows, ${((bytes / stored) * 1_000).toFixed(0)} bytes per 1,000 flows, ${((100 * bytes) / flowBytes).toFixed(1)} % of the flow tables`,
  );
}
const sumBytes = await size("pg_total_relation_size('traffic_sum')");
console.log(
  `all sums with their indexes ${(sumBytes / 1e6).toFixed(0)} MB, ${((100 * sumBytes) / flowBytes).toFixed(1)} % of the flow tables`,
);

const { rows: once } = await store.client.query<{ bytes: string }>(
  "select sum(bytes[1])::text as bytes from traffic_sum where level = 2 and dimension = 0 and way = $1 and sender <> 0",
  [WAYS.indexOf("once")],
);
console.log(
  `counted once: ${Number(once[0]!.bytes).toLocaleString("en")} octets, in truth ${truth.toLocaleString("en")}`,
);
await store.dispose();
process.exit();
