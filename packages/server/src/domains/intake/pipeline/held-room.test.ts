import { US_PER_DAY } from "@halvik/core/base/time";
import { type Client, connect, connectionOf } from "../../../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../../../testing/test-database.js";
import type { Arrival } from "../arrivals/arrival.js";
import { SenderRegistry } from "../senders/registry.js";
import { writeActivity } from "../senders/write-activity.js";
import { newCounters } from "./counters.js";
import type { DecodedBatch } from "./decode-batch.js";
import { HELD_PER_SENDER, holdRecords } from "./held-repository.js";
import { HeldRoom } from "./held-room.js";

const T = 1_764_331_200_000_000;
const SECOND = 1e6;
const ADDRESS = "192.0.2.7";

let instance: TestInstance;
let client: Client;
beforeAll(async () => {
  instance = await startTestInstance();
  client = await connect(connectionOf(instance.config, instance.secrets, "collector"));
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

const arrivals = (sender: number, n: number, receivedUs: number) =>
  Array.from({ length: n }, () => {
    const arrival: Arrival = {
      protocol: "syslog",
      endpoint: "syslog-udp",
      peer: ADDRESS,
      receivedUs,
      bytes: Buffer.from("<13>x"),
      held: false,
    };
    return { sender, arrival };
  });
const batchOf = (held: DecodedBatch["held"]): DecodedBatch => ({ held }) as unknown as DecodedBatch;

test("a waiting sender that fills its room and goes on sending is held anew when a day is over, and keeps its place", async () => {
  const registry = new SenderRegistry("UTC");
  await registry.refresh(client);
  await registry.notice(client, new Map([[ADDRESS, T]]));
  const sender = registry.peer(ADDRESS)!;
  const { id } = sender.facts;
  const counters = newCounters();
  const room = new HeldRoom(registry, counters);
  const hear = async (n: number, atUs: number) => {
    const batch = batchOf(arrivals(id, n, atUs));
    const kept = room.within(batch);
    await holdRecords(client, kept);
    room.count(batch, kept);
    return kept.length;
  };

  expect(await hear(HELD_PER_SENDER + 5, T)).toBe(HELD_PER_SENDER);
  expect(counters["held: refused, too many"]).toBe(5);
  await room.forgetOld(client, T + US_PER_DAY - SECOND);
  expect(await hear(3, T + US_PER_DAY - SECOND)).toBe(0);
  expect(sender.lastHeardUs).toBe(T + US_PER_DAY - SECOND);

  // nothing else has changed about senders since
  await writeActivity(client, registry, false, T + US_PER_DAY);
  await room.forgetOld(client, T + US_PER_DAY + SECOND);
  await registry.forgetWaiting(client, T + US_PER_DAY + SECOND);
  expect(registry.peer(ADDRESS)).toBe(sender);
  expect(await hear(3, T + US_PER_DAY + SECOND)).toBe(3);
});

test("what another collector has forgotten is room for this one too", async () => {
  const registry = new SenderRegistry("UTC");
  await registry.refresh(client);
  await registry.notice(client, new Map([["192.0.2.8", T]]));
  const { id } = registry.peer("192.0.2.8")!.facts;
  await holdRecords(client, arrivals(id, HELD_PER_SENDER, T));
  const [here, there] = [new HeldRoom(registry, newCounters()), new HeldRoom(registry, newCounters())];
  for (const room of [here, there]) await room.refresh(client);
  const next = batchOf(arrivals(id, 3, T + US_PER_DAY));
  expect(here.within(next)).toHaveLength(0);
  for (const room of [there, here]) await room.forgetOld(client, T + US_PER_DAY + SECOND);
  expect(here.within(next)).toHaveLength(3);
});
