import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { sitesOf, TrafficSums } from "@halvik/core/traffic";
import { deriveSums } from "../packages/server/src/store/traffic/derive-sums.js";
import { sumFlows } from "../packages/server/src/store/traffic/sum-flows.js";
import { trafficSites } from "../packages/server/src/store/traffic/traffic-sites.js";
import { closeSteps, firstOpen } from "../packages/server/src/store/traffic/write-sums.js";
import { RoleProcess, runCommand } from "../packages/server/src/testing/roles.js";
import { connect, percentile, sayMachine } from "./harness.js";
import { openStore, STORE_DAYS, STORE_ENDS_MINUTE } from "./store.js";

/**
 * Traffic on a store of many flows: summed by the product's own means if they are not yet, a year of hours and days made of the days there are (moved
 * back, without flows of their own), then the API asked by scope, grouping and window. Usage: node scripts/bench.mjs traffic-view DIR [MILLIONS [narrowed]]
 * (narrowed: only what goes through the flows themselves)
 */
const KEEP = { minute: 3_650, five: 3_650, hour: 3_650 };
const END = STORE_ENDS_MINUTE * US_PER_MINUTE;
const START = END - STORE_DAYS * US_PER_DAY;
const nowUs = () => END + US_PER_DAY;

sayMachine();
const instance = await openStore(process.argv[2]!, Number(process.argv[3] ?? 20));
const client = await connect(instance);
const size = async (sql: string): Promise<number> =>
  Number((await client.query<{ n: string }>(`select (${sql})::text as n`)).rows[0]!.n);
const flows = await size("select sum(rows) from segment where shape = 'flow'");
console.log(`${(flows / 1e6).toFixed(1)} M flows`);

const sums = new TrafficSums(sitesOf(await trafficSites(client, START, END)));
const before = process.cpuUsage();
const beganMs = performance.now();
let isWork = false;
while (await sumFlows(client, sums, KEEP, nowUs())) {
  isWork = true;
  while (await closeSteps(client, KEEP, nowUs()));
}
while (await closeSteps(client, KEEP, nowUs()));
if (isWork) {
  const used = process.cpuUsage(before);
  console.log(
    `summed in ${((performance.now() - beganMs) / 1_000).toFixed(0)} s, ${((used.user + used.system) / flows).toFixed(1)} µs of this process's processor a flow, PostgreSQL's beside it`,
  );
}
const derivedMs = performance.now();
while (await deriveSums(client, (level) => firstOpen(level, nowUs()))) isWork = true;
if (isWork) {
  console.log(`days, and sums over all exporters, made in ${((performance.now() - derivedMs) / 1_000).toFixed(0)} s`);
  await client.query("vacuum analyze traffic_sum");
  const flowBytes = await size(
    "select sum(pg_total_relation_size(('segments.' || name)::regclass)) from segment where shape = 'flow'",
  );
  for (const [level, name] of ["minute", "five minutes", "hour", "day"].entries()) {
    const bytes = await size(`select coalesce(sum(pg_column_size(t.*)), 0) from traffic_sum t where level = ${level}`);
    const rows = await size(`select count(*) from traffic_sum where level = ${level}`);
    console.log(
      `sums by the ${name}: ${rows.toLocaleString("en")} rows, ${((bytes / flows) * 1_000).toFixed(0)} bytes per 1,000 flows, ${((100 * bytes) / flowBytes).toFixed(1)} % of the flow tables`,
    );
  }
}
const [oldest, newest] = [
  await size("select min(step) from traffic_sum where level = 3"),
  await size("select max(step) from traffic_sum where level = 3"),
];
if (newest - oldest < 364) {
  for (let back = STORE_DAYS; back < 365; back += STORE_DAYS)
    await client.query(
      `insert into traffic_sum select level, sender, interface, way, dimension, step - $1 * case level when 2 then 24 else 1 end, vals, bytes, packets, flows, estimated, rate, open
       from traffic_sum where level >= 2 and step >= case level when 2 then $2::int else $3::int end on conflict do nothing`,
      [back, START / US_PER_HOUR, START / US_PER_DAY],
    );
  await client.query("update traffic_source set first_us = $1", [END - 365 * US_PER_DAY]);
  await client.query("vacuum analyze traffic_sum");
}
console.log(
  `a year of hours: traffic_sum ${((await size("pg_total_relation_size('traffic_sum')")) / 1e9).toFixed(2)} GB`,
);

instance.env.HALVIK_KEEP_TRAFFIC_FIVE_DAYS = String(KEEP.five);
const web = await RoleProcess.start(instance, "web");
try {
  const made = await runCommand(instance.env, ["token", "create", `bench-${Date.now()}`, "--act"]);
  const token = /hv_\S+/.exec(made.out)![0];
  // biome-ignore lint/suspicious/noExplicitAny: answers of several sorts, of which a few members are printed
  const ask = async (way: string, days: number, more: string): Promise<{ ms: number; body: any }> => {
    const began = performance.now();
    const at = (us: number) => encodeURIComponent(new Date(us / 1_000).toISOString());
    const answer = await fetch(
      `http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/api/v1${way}${days === 0 ? "" : `?from=${at(END - days * US_PER_DAY)}&to=${at(END)}&${more}`}`,
      { headers: { authorization: `Bearer ${token}` } },
    );
    if (!answer.ok) throw new Error(`${way} ${more}: ${answer.status} ${await answer.text()}`);
    return { body: await answer.json(), ms: performance.now() - began };
  };
  const { body: places } = await ask("/traffic/places", 0, "");
  const exporter = places.exporters[0];
  console.log(`${places.exporters.length} exporters`);
  const SCOPES = [
    "",
    `exporter=${exporter.id}`,
    `exporter=${exporter.id}&interface=${exporter.interfaces[0].index}`,
    `site=${encodeURIComponent(places.sites[0].name ?? places.sites[0])}`,
    "count=exported",
  ];
  const BY = ["application", "source", "pair", "service", "dscp", "site pair"];
  const LISTS =
    "dimensions=application,source,destination,pair,service,dscp,packet size,tcp flags,ip version,site pair,as pair&most=5";
  for (const [days, aim] of [
    [1, 150],
    [7, 300],
    [30, 300],
    [365, 500],
  ] as const)
    for (const scope of process.argv[4] === "narrowed" ? [] : SCOPES) {
      const courses: number[] = [];
      const lists: number[] = [];
      for (const by of BY)
        for (let i = 0; i < 3; i++) courses.push((await ask("/traffic", days, `by=${by}&${scope}`)).ms);
      for (let i = 0; i < 5; i++) lists.push((await ask("/traffic/lists", days, `${LISTS}&${scope}`)).ms);
      const say = (all: number[]) =>
        `p50 ${percentile(all, 0.5).toFixed(0)}, p95 ${percentile(all, 0.95).toFixed(0)} ms`;
      console.log(
        `${days} days (aim p95 ≤ ${aim} ms), ${scope || "everything"}: course ${say(courses)}; eleven lists ${say(lists)}`,
      );
    }
  for (const filter of ["protocol is 6", "dst port is 443", "src is 10.20.0.1"]) {
    const asked = `filter=${encodeURIComponent(filter)}&patience=0.8`;
    const cold = await ask("/traffic", 1, asked);
    const first = await ask("/traffic", 1, asked);
    const whole = await ask("/traffic", 1, `filter=${encodeURIComponent(filter)}&patience=14`);
    console.log(
      `a day narrowed by ${filter}: first answer ${cold.ms.toFixed(0)}, again ${first.ms.toFixed(0)} ms, back to ${first.body.asked.reached ?? "its beginning"}; whole ${whole.ms.toFixed(0)} ms, back to ${whole.body.asked.reached ?? "its beginning"}`,
    );
  }
  const { body: top } = await ask("/traffic/lists", 7, "dimensions=source&most=1");
  const busiest = top.lists[0].rows[0].label;
  for (const part of ["/portrait", "/portrait/traffic", "/portrait/news"]) {
    const all: number[] = [];
    for (let i = 0; i < 5; i++) all.push((await ask(part, 7, `kind=address&value=${busiest}`)).ms);
    console.log(
      `${part} of the busiest host, ${busiest}, over 7 days: ${all.map((ms) => ms.toFixed(0)).join(", ")} ms`,
    );
  }
} finally {
  await web.stop();
  await client.end();
  await instance.dispose();
}
process.exit();
