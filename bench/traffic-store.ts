import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_SECOND } from "@halvik/core/base/time";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { sitesOf, TrafficSums } from "@halvik/core/traffic";
import { BatchWriter } from "../packages/server/src/store/batches.js";
import { claimCollector } from "../packages/server/src/store/collectors.js";
import { indexNext, PART_ROWS } from "../packages/server/src/store/keeping/index-segments.js";
import { IdSource } from "../packages/server/src/store/record-id.js";
import { sumFlows } from "../packages/server/src/store/traffic/sum-flows.js";
import { trafficSites } from "../packages/server/src/store/traffic/traffic-sites.js";
import { closeSteps } from "../packages/server/src/store/traffic/write-sums.js";
import { TestStore } from "../packages/server/src/testing/test-store.js";
import { percentile, sayMachine } from "./harness.js";

/**
 * Traffic on a large store: so many millions of flows over some days by the product's own storing and summing, a year of sums by the hour (those of the
 * days copied, without flows of their own), then the API asked. Usage: node scripts/bench.mjs traffic-store [MILLIONS [DAYS]]
 */
const millions = Number(process.argv[2] ?? 20);
const DAYS = Number(process.argv[3] ?? 30);
const KEEP = { minute: 2, five: 60, hour: 731 };
const BATCH = 20_000;
const END = Math.floor(Date.now() / 3_600_000) * US_PER_HOUR;
const START = END - DAYS * US_PER_DAY;

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
  if (number % 10 === 0) {
    const before = process.cpuUsage();
    while (await sumFlows(store.keeper as never, sums, KEEP, END));
    const used = process.cpuUsage(before);
    sumCpu += used.user + used.system;
    if (number % 50 === 0) while (await closeSteps(store.keeper as never, KEEP, END));
  }
  if (stored >= nextTell) {
    console.log(
      `${(stored / 1e6).toFixed(1)} M stored and summed after ${((performance.now() - beganMs) / 1_000).toFixed(0)} s`,
    );
    nextTell += total / 10;
  }
}
while (await sumFlows(store.keeper as never, sums, KEEP, END));
while (await closeSteps(store.keeper as never, KEEP, END));
await writer.close();
const seconds = (performance.now() - beganMs) / 1_000;
console.log(
  `${(stored / 1e6).toFixed(1)} M flows stored and summed in ${seconds.toFixed(0)} s, one after the other in one process; summing ${(sumCpu / stored).toFixed(1)} µs of its processor a flow, PostgreSQL's beside it`,
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

const indexing = performance.now();
while (await indexNext(store.client as never, PART_ROWS, async () => undefined));
console.log(`indexed in ${((performance.now() - indexing) / 1_000).toFixed(0)} s`);

// a year of hours: what the days say, moved back
for (let back = 1; back * DAYS < 365; back++)
  await store.client.query(
    `insert into traffic_sum select level, sender, interface, way, dimension, step - $1, vals, bytes, packets, flows, estimated, rate, open
     from traffic_sum where level = 2 and step >= $2 on conflict do nothing`,
    [back * DAYS * 24, START / US_PER_HOUR],
  );
await store.client.query("update traffic_source set first_us = $1", [END - 365 * US_PER_DAY]);
await store.client.query("vacuum analyze traffic_sum");
console.log(
  `a year of hours: traffic_sum ${((await size("pg_total_relation_size('traffic_sum')")) / 1e9).toFixed(2)} GB`,
);

const path = (way: string, days: number, more: string): string =>
  `/api/v1${way}?from=${encodeURIComponent(formatUs(END - days * US_PER_DAY))}&to=${encodeURIComponent(formatUs(END))}&${more}`;
const plain = async (way: string, days: number, more: string) => {
  const began = performance.now();
  const { body, status } = await store.api.get(path(way, days, more).slice("/api/v1".length));
  if (status !== 200) throw new Error(`${way} ${more}: ${JSON.stringify(body).slice(0, 300)}`);
  return { ms: performance.now() - began, body };
};
const SCOPES = [
  "",
  `exporter=${exporters[0]}`,
  `exporter=${exporters[0]}&interface=1`,
  "site=Site 1",
  "count=exported",
];
const BY = ["application", "source", "pair", "service", "dscp", "site pair"];
const LISTS =
  "dimensions=application,source,destination,pair,service,dscp,packet size,tcp flags,ip version,site pair,as pair&most=5";
for (const [days, aim] of [
  [1, 150],
  [30, 300],
  [365, 500],
] as const) {
  const courses: number[] = [];
  const lists: number[] = [];
  for (const scope of SCOPES) {
    for (const by of BY)
      for (let i = 0; i < 3; i++) courses.push((await plain("/traffic", days, `by=${by}&${scope}`)).ms);
    for (let i = 0; i < 5; i++) lists.push((await plain("/traffic/lists", days, `${LISTS}&${scope}`)).ms);
  }
  const say = (all: number[]) =>
    `p50 ${percentile(all, 0.5).toFixed(0)}, p95 ${percentile(all, 0.95).toFixed(0)}, longest ${Math.max(...all).toFixed(0)} ms`;
  console.log(
    `${days} days (aim p95 ≤ ${aim} ms): course of ${courses.length} questions ${say(courses)}; eleven lists ${say(lists)}`,
  );
}
const { body: once } = await plain("/traffic/lists", Math.min(DAYS, 30), "dimensions=total");
console.log(
  `counted once over ${DAYS} days: ${once.lists[0].rows[0].amounts.bytes.toLocaleString("en")} octets, in truth ${truth.toLocaleString("en")}`,
);
for (const filter of ["protocol is 6", "dst port is 443", "src is 10.20.0.1"]) {
  const first = await plain("/traffic", 1, `filter=${encodeURIComponent(filter)}&patience=0.8`);
  const whole = await plain("/traffic", 1, `filter=${encodeURIComponent(filter)}&patience=14`);
  console.log(
    `a day narrowed by ${filter}: first answer ${first.ms.toFixed(0)} ms, back to ${first.body.asked.reached ?? "its beginning"}; whole ${whole.ms.toFixed(0)} ms, back to ${whole.body.asked.reached ?? "its beginning"}`,
  );
}
for (const part of ["/portrait", "/portrait/traffic", "/portrait/news"]) {
  const all: number[] = [];
  for (let i = 0; i < 5; i++) all.push((await plain(part, 7, "kind=address&value=10.20.0.1&patience=10")).ms);
  console.log(`${part} of the busiest host over 7 days: ${all.map((ms) => ms.toFixed(0)).join(", ")} ms`);
}
await store.dispose();
process.exit();
