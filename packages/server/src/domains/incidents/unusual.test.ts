import type { HalvikRecord } from "@halvik/core/model/record";
import { newSender, SenderDirectory } from "@halvik/core/model/senders";
import pg from "pg";
import { testRecord } from "../../../../core/src/testing/record.js";
import { connectionOf } from "../../kernel/db/pool.js";
import { BatchWriter } from "../../store/batches.js";
import { claimCollector } from "../../store/collectors.js";
import { IdSource } from "../../store/record-id.js";
import { TermIndex } from "../../store/term-index.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { Care } from "../rules/running/careful.js";
import { EngineSession } from "../rules/running/session.js";
import { unusualThen } from "./unusual.js";

const S = 1e6;
const DAY = 86_400 * S;
/** On the hour, so that no case lies across one by chance. */
const T = Math.floor(1_700_000_000 / 3_600) * 3_600 * S;
const directory = new SenderDirectory([newSender(1, "vpn-1"), newSender(2, "files-1")]);
let instance: TestInstance;
let client: pg.Client;
let writer: BatchWriter;
let ids: IdSource;
let number = 0;

beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  const claim = await claimCollector(client, "test", "live");
  writer = new BatchWriter(client, claim.number, null);
  ids = new IdSource(claim.number, 0);
}, 240_000);
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

const refused = (timeUs: number, src: string, user: string): Partial<HalvikRecord> => ({
  timeUs,
  category: "logon",
  outcome: "failure",
  src,
  users: [user],
});
async function store(parts: readonly Partial<HalvikRecord>[]): Promise<void> {
  const records = parts.map((p) => {
    const { timeUs = T, sender = 1 } = p;
    return {
      id: ids.next(timeUs),
      sender,
      endpoint: "t",
      copyOf: null,
      content: testRecord({ receivedUs: timeUs, ...p }),
    };
  });
  const throughUs = Math.max(...parts.map((p) => p.timeUs ?? T));
  await writer.commit({ number: ++number, records, throughUs, runRules: true }, throughUs);
}
const incidentOf = async (key: string) =>
  (
    await client.query<{ incident: number }>("select incident from finding where key = $1 and incident is not null", [
      key,
    ])
  ).rows[0]!.incident;

test("first sightings and what is far above the same hours; not what comes every day", async () => {
  for (let day = -6; day < 0; day++)
    await store([
      // two a day from the one, forty a day from the other, and k.lind on vpn-1
      ...[0, 1].map((i) => refused(T + day * DAY + i * 60 * S, "10.2.0.1", "k.lind")),
      ...Array.from({ length: 40 }, (_, i) => refused(T + day * DAY + i * 30 * S, "10.2.0.2", "m.aune")),
    ]);
  const session = await EngineSession.open(client, "UTC", new Care());
  await session.step();
  await store([
    ...Array.from({ length: 40 }, (_, i) => refused(T + i * S, "10.2.0.1", "k.lind")),
    ...Array.from({ length: 40 }, (_, i) => refused(T + i * S, "10.2.0.3", "k.lind")),
    ...Array.from({ length: 40 }, (_, i) => refused(T + i * 30 * S, "10.2.0.2", "m.aune")),
    { timeUs: T + 50 * S, sender: 2, category: "logon", outcome: "success", src: "10.2.0.1", users: ["k.lind"] },
  ]);
  await session.step();
  const found = (await unusualThen(client, await incidentOf("10.2.0.1"), directory, new TermIndex()))!;
  expect(found).toMatchObject({ days: 6, notLooked: 0, fromUs: T, toUs: T + 3_600 * S });
  expect(found.lines.map((l) => [l.says, l.why])).toEqual(
    expect.arrayContaining([
      ["refused logons from 10.2.0.1", "40; usual in these hours 2, at most 2 on 6 days"],
      ["k.lind on files-1", "first in 6 days"],
    ]),
  );
  const stranger = (await unusualThen(client, await incidentOf("10.2.0.3"), directory, new TermIndex()))!;
  expect(stranger.lines.map((l) => [l.says, l.why])).toContainEqual(["10.2.0.3", "not seen in the 6 days before"]);
  const daily = (await unusualThen(client, await incidentOf("10.2.0.2"), directory, new TermIndex()))!;
  expect(daily.lines.filter((l) => l.says.includes("10.2.0.2"))).toEqual([]);
});

test("without days to hold it against, nothing is said", async () => {
  await store(Array.from({ length: 40 }, (_, i) => refused(T - 6 * DAY + 7_200 * S + i * S, "10.2.0.9", "x")));
  const { rows } = await client.query<{ id: number }>("select id from incident order by first_us limit 1");
  expect(await unusualThen(client, rows[0]!.id, directory, new TermIndex())).toMatchObject({ lines: [] });
  expect(await unusualThen(client, 999_999, directory, new TermIndex())).toBeNull();
});
