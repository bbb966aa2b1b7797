import { US_PER_DAY } from "@halvik/core/base/time";
import fc from "fast-check";
import { arbitraryRecord } from "../../../../core/src/testing/filters.js";
import { nowUs } from "../../kernel/clock.js";
import { TestStore } from "../../testing/test-store.js";
import { BatchWriter } from "../batches.js";
import { closeSegment, dropSegment } from "../segment-life.js";
import { pruneBeside } from "./prune-beside.js";

/** What stands beside the records grows with whatever is sent: what goes when it is old or too much, and what stays. */
let store: TestStore;
const NOW = nowUs();
const KEEP = { minute: 2, five: 60, hour: 730 };
beforeAll(async () => {
  store = await TestStore.start();
});
afterAll(() => store?.dispose());

const keep = (daysAgo: number, into = store.writer) =>
  store.put(
    fc
      .sample(arbitraryRecord, { seed: 5, numRuns: 40 })
      .filter((r) => r.flow === null)
      .map((r, i) => ({
        sender: 1,
        content: { ...r, timeUs: NOW - daysAgo * US_PER_DAY + i * 1_000_000 },
      })),
    into,
  );
let beats = 0;
const prune = (atUs = NOW, bounds?: { domains: number; unnamed: number }) =>
  pruneBeside(store.keeper, KEEP, atUs, async () => void beats++, bounds);
const counted = async (): Promise<Record<string, number>> => {
  const { rows } = await store.client.query<Record<string, number>>(
    "select (select sum(count) from rollup_minute)::int as minute, (select sum(count) from rollup_five_minutes)::int as five, (select sum(count) from rollup_hour)::int as hour",
  );
  return rows[0]!;
};

test("counts stay as long as there may be records of their time, and after that as long as sums of that width do", async () => {
  await keep(400);
  await keep(10);
  const all = await counted();
  expect(all.minute).toBeGreaterThan(0);
  await prune();
  expect(await counted()).toEqual(all);

  const { rows } = await store.client.query<{ name: string }>("select name from segment");
  for (const { name } of rows) {
    await closeSegment(store.client, name);
    await dropSegment(store.client, name, NOW);
  }
  await prune();
  const later = await counted();
  expect([later.minute, later.five, later.hour]).toEqual([null, all.five! / 2, all.hour]);
  await prune(NOW + 60 * US_PER_DAY);
  expect((await counted()).five).toBeNull();
  await prune(NOW + 800 * US_PER_DAY);
  expect((await counted()).hour).toBeNull();
});

test("last year's file, brought in while it is being tidied, keeps its counts", async () => {
  let brought = false;
  await pruneBeside(store.keeper, KEEP, NOW, async () => {
    if (brought) return;
    brought = true;
    await keep(400, new BatchWriter(store.client, store.writer.collector, null));
  });
  const { five, hour } = await counted();
  expect(five).toBeGreaterThan(0);
  expect(five).toBe(hour);
  for (const { name } of (await store.client.query<{ name: string }>("select name from segment")).rows) {
    await closeSegment(store.client, name);
    await dropSegment(store.client, name, NOW);
  }
});

test("what has gathered for years goes some at a time, with a sign of life in between", async () => {
  await store.client.query("insert into rollup_five_minutes select b, 1, 0, 0, 1 from generate_series(0, 44999) as b");
  beats = 0;
  await prune();
  expect((await counted()).five).toBeNull();
  expect(beats).toBeGreaterThan(5);
});

test("counters of interfaces go with the sums that are held against them", async () => {
  await store.client.query(
    "insert into interface_measure select 1, 1, $1::bigint - d * $2::bigint, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0 from generate_series(1, 100) as d",
    [NOW, US_PER_DAY],
  );
  await prune();
  const { rows } = await store.client.query<{ n: number }>("select count(*)::int as n from interface_measure");
  expect(rows[0]!.n).toBe(60);
});

test("an exporter that invents domains, and a sender that invents identifiers, are given so much room and no more", async () => {
  await store.client.query(
    `insert into flow_domain (key, saved, changed_us) select '192.0.2.' || (i % 4) || ' ipfix ' || i, '{}', i from generate_series(0, 19) as i`,
  );
  await store.client.query("insert into flow_domain (key, saved, changed_us) values ('192.0.2.9 ipfix 1', '{}', -1)");
  await store.client.query(
    "insert into interface_name (exporter, index, name) values ('192.0.2.1', 1, 'wan0'), ('192.0.2.9', 1, 'wan9')",
  );
  await store.client.query(
    "insert into unnamed_oid (oid, count, last_us, sender) select '1.3.6.1.4.1.32473.' || i, i, i, 1 from generate_series(1, 30) as i",
  );
  await prune(NOW, { domains: 10, unnamed: 5 });
  const { rows } = await store.client.query<{ domains: string[]; names: string[]; oids: string[] }>(
    `select array(select key from flow_domain order by changed_us) as domains, array(select name from interface_name) as names,
       array(select oid from unnamed_oid order by count) as oids`,
  );
  const { domains, names, oids } = rows[0]!;
  expect(domains.map((d) => d.split(" ")[2])).toEqual(["10", "11", "12", "13", "14", "15", "16", "17", "18", "19"]);
  expect(names).toEqual(["wan0"]);
  expect(oids.map((o) => o.split(".").pop())).toEqual(["26", "27", "28", "29", "30"]);
});
