import type { SenderNumbers, SenderPortrait } from "@halvik/contract/senders";
import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { emptyContent } from "@halvik/core/model/record";
import { nowUs } from "../../../kernel/clock.js";
import { TestStore } from "../../../testing/test-store.js";
import { SenderRegistry, wayOf } from "./registry.js";
import { writeActivity } from "./write-activity.js";

let store: TestStore;
let id: number;
const registry = new SenderRegistry("UTC");
beforeAll(async () => {
  store = await TestStore.start();
  id = await store.addSender("fw-1", "Orvane", ["10.20.1.1"]);
  await registry.refresh(store.client);
}, 240_000);
afterAll(() => store?.dispose(), 240_000);

const NOW = nowUs();
const HOUR = Math.floor(NOW / US_PER_HOUR) * US_PER_HOUR;
const live = () => registry.get(id)!;
/** As many records as came by a way in. */
function hear(endpoint: string, records: number, problems = 0): void {
  const way = wayOf(live(), endpoint);
  live().touched = true;
  for (const counts of [live().fresh, way]) {
    counts.records += records;
    counts.bytes += 100 * records;
    counts.problems += problems;
  }
  way.lastUs = NOW;
}
const write = (atUs = NOW, db = store.client) => writeActivity(db, registry, true, atUs);
const portrait = async () => (await store.api.get(`/senders/${id}`)).body as SenderPortrait;
const now = (p: SenderPortrait, endpoint: string) => p.ways.find((w) => w.endpoint === endpoint)!.hours.at(-1);

test("what came by each way in is known by the hour, and the clock with it", async () => {
  hear("syslog-udp", 7, 1);
  // a quarter of a minute behind, as is learnt in some minutes
  for (let i = 0; i < 400; i++) live().clock.observe(HOUR + i * 3e6, HOUR + i * 3e6 + 15e6);
  await write(NOW - US_PER_HOUR);
  hear("syslog-udp", 3);
  hear("snmp", 2);
  await write();
  hear("snmp", 1);
  await write();
  const p = await portrait();
  expect(p.ways.map((w) => w.endpoint).sort()).toEqual(["snmp", "syslog-udp"]);
  expect(now(p, "syslog-udp")).toMatchObject({ records: 3, bytes: 300, problems: 0 });
  expect(now(p, "snmp")).toMatchObject({ records: 3 });
  expect(p.ways.find((w) => w.endpoint === "syslog-udp")!.hours.at(-2)).toMatchObject({ records: 7, problems: 1 });
  expect(p.clock.slice(0, -2).every((c) => c === null)).toBe(true);
  expect(p.clock.at(-1)).toEqual({ least: 15_000, most: 15_000 });
});

test("what could not be written is written the next time, once; what is counted meanwhile is not lost", async () => {
  const before = (await portrait()).ways.find((w) => w.endpoint === "snmp")!.hours.at(-1)!.records;
  const kept = async () =>
    (await store.client.query("select records::float8 as n from sender_activity where sender = $1", [id])).rows[0].n;
  const all = await kept();
  hear("snmp", 5);
  const failing = Object.assign(Object.create(store.client), {
    query: (...of: unknown[]) =>
      String(of[0]).includes("into sender_hour")
        ? Promise.reject(new Error("the disk is full"))
        : (store.client.query as (...of: unknown[]) => unknown).apply(store.client, of),
  });
  await expect(write(NOW, failing)).rejects.toThrow("full");
  const slow = Object.assign(Object.create(store.client), {
    query: async (...of: unknown[]) => {
      if (String(of[0]).includes("into sender_hour")) hear("snmp", 2);
      return (store.client.query as (...of: unknown[]) => unknown).apply(store.client, of);
    },
  });
  await write(NOW, slow);
  await write();
  expect(now(await portrait(), "snmp")!.records).toBe(before + 7);
  expect(await kept()).toBe(all + 7);
});

test("hours too old are forgotten; one whose sender is gone is not written, and holds nothing up", async () => {
  hear("snmp", 1);
  await write(NOW - 100 * US_PER_DAY);
  hear("snmp", 1);
  await write(NOW + US_PER_HOUR);
  const old = await store.client.query("select 1 from sender_hour where hour < $1", [HOUR / US_PER_HOUR - 90 * 24]);
  expect(old.rowCount).toBe(0);
  // a clock that is a year ahead, and right again
  const kept = (await portrait()).ways;
  hear("snmp", 1);
  await write(NOW + 365 * US_PER_DAY);
  await write();
  expect((await portrait()).ways).toEqual(kept);
  const gone = await store.addSender("gone");
  await registry.refresh(store.client);
  Object.assign(wayOf(registry.get(gone)!, "snmp"), { records: 4, lastUs: NOW });
  registry.get(gone)!.touched = true;
  await store.client.query("delete from sender_activity where sender = $1", [gone]);
  await store.client.query("delete from sender where id = $1", [gone]);
  await write();
  expect((await store.client.query("select 1 from sender_hour where sender = $1", [gone])).rowCount).toBe(0);
});

test("what its own numbers say: by log, with those that never came, through a log that was cleared", async () => {
  const event = (log: string, n: number, back: number) => {
    const at = NOW - back * 1e6;
    const data = [["log", log] as const, ["record id", String(n)] as const];
    return { sender: id, content: Object.assign(emptyContent("windows", at, at), { host: "srv-1", data }) };
  };
  await store.put([
    ...[7, 8, 11].map((n, i) => event("Security", n, 90 - i)),
    ...[1, 2].map((n, i) => event("Security", n, 50 - i)),
  ]);
  await store.put([3, 4].map((n, i) => event("System", n, 40 - i)));
  const { body } = await store.api.get(`/senders/${id}/numbers`);
  expect([...(body as SenderNumbers).streams].sort((a, b) => (a.of < b.of ? -1 : 1))).toMatchObject([
    { of: "Security on srv-1", first: 7, last: 2, received: 5, missing: 2, anew: 1 },
    { of: "System on srv-1", first: 3, last: 4, received: 2, missing: 0, anew: 0 },
  ]);
  expect((await store.api.get("/senders/999999/numbers")).status).toBe(404);
});
