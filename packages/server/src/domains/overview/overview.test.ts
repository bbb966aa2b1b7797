import { nightOf, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { newSender, SenderDirectory } from "@halvik/core/model/senders";
import { syslogRecord } from "@halvik/core/normalise";
import pg from "pg";
import { connectionOf } from "../../kernel/db/pool.js";
import { BatchWriter } from "../../store/batches.js";
import { claimCollector } from "../../store/collectors.js";
import { IdSource } from "../../store/record-id.js";
import { TermIndex } from "../../store/term-index.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { sumStored } from "../../testing/told-flows.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { questions } from "../records/questions.js";
import { overview } from "./overview.js";

const ZONE = "Europe/Oslo";
/** Ten to nine of a winter morning in that zone. */
const NOW = Date.parse("2026-11-28T07:50:00Z") * 1_000;
const senders = new SenderDirectory([
  newSender(1, "sw-1", { site: "Hestnes" }),
  newSender(2, "sw-2", { site: "Torvika" }),
]);

let instance: TestInstance;
let db: pg.Pool;
beforeAll(async () => {
  instance = await startTestInstance();
  db = new pg.Pool({ ...connectionOf(instance.config, instance.secrets, "owner"), max: 2 });
});
afterAll(async () => {
  await db?.end();
  await instance?.dispose();
});

/** Stores so many lines of a sender an hour after the beginning of a night. */
const heard = (name: string, nightsBefore: number, sender: number, line: string, count: number): Promise<void> => {
  const at = nightOf(NOW, ZONE, nightsBefore).fromUs + US_PER_HOUR;
  const contentOf = (i: number) =>
    syslogRecord(Buffer.from(line), { receivedUs: at + i, zone: "UTC", clockOffsetUs: 0 }).content;
  return stored(
    name,
    sender,
    at,
    Array.from({ length: count }, (_, i) => contentOf(i)),
  );
};

async function stored(name: string, sender: number, at: number, contents: readonly RecordContent[]): Promise<void> {
  const client = await db.connect();
  try {
    const claim = await claimCollector(client, name, "live");
    const ids = new IdSource(claim.number, claim.lastIdUs);
    const records = contents.map((content) => ({ id: ids.next(at), sender, endpoint: "t", copyOf: null, content }));
    await new BatchWriter(client, claim.number, null).commit(
      { number: claim.lastBatch + 1, records, throughUs: at, runRules: false },
      at,
    );
  } finally {
    client.release();
  }
}
const REFUSED = "<38>sshd[1]: Failed password for root from 203.0.113.9 port 40001 ssh2";

test("the last night beside the median of those that are known; sites; incidents by day", async () => {
  // three nights are known, and before the first record nothing is
  await heard("three", 3, 1, "<11>app: broken", 10);
  await heard("two", 2, 1, "<11>app: broken", 14);
  await heard("one", 1, 1, "<11>app: broken", 12);
  await heard("last", 0, 1, "<11>app: broken", 40);
  await heard("refused", 0, 2, REFUSED, 5);
  await db.query(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count)
     values ('a', 3, 'open', 'r', 1, '', $1, $1, $1, 1), ('b', 4, 'open', 'r', 1, '', $1, $1, $1, 1)`,
    [NOW - US_PER_DAY],
  );
  const directory = { get: async () => senders } as unknown as DirectoryCache;
  const here = questions(db, directory, new TermIndex());
  const answer = await overview({ db, ask: () => here, senders, silent: new Set([2]) }, ZONE, NOW);
  const figure = (name: string) => answer.figures.find((f) => f.name === name);
  expect(answer.night).toEqual({ from: "2026-11-27T19:00:00.000000Z", to: "2026-11-28T05:00:00.000000Z" });
  // the first known night is that of the first record, an hour after it began: not known as a whole
  expect(figure("error or worse")).toMatchObject({
    lastNight: 40,
    before: [null, null, null, null, 14, 12],
    usual: null,
  });
  expect(figure("refused logons")).toMatchObject({ lastNight: 5, filter: "category is logon and outcome is failure" });
  expect(figure("snmp")).toBeUndefined();
  expect(answer.sites).toEqual([
    { site: "Hestnes", senders: 1, silent: 0, lastNight: 40, usual: null },
    { site: "Torvika", senders: 1, silent: 1, lastNight: 5, usual: null },
  ]);
  expect(answer.incidents.map((d) => [d.raised, d.errors])).toEqual([
    [0, 0],
    [0, 0],
    [0, 0],
    [0, 0],
    [0, 0],
    [2, 1],
    [0, 0],
  ]);

  await heard("four", 4, 1, "<14>app: fine", 1);
  const known = await overview({ db, ask: () => here, senders, silent: new Set() }, ZONE, NOW);
  expect(known.figures.find((f) => f.name === "error or worse")).toMatchObject({
    lastNight: 40,
    before: [null, null, null, 10, 14, 12],
    usual: 12,
  });
});

test("while flows are stored and not summed, no night's traffic is taken for the whole of it", async () => {
  const flowAt = (at: number) =>
    Object.assign(emptyContent("flow", at, at), { bytes: 5_000, packets: 5, flow: told(at) });
  const told = (at: number) => ({
    ...{ startUs: at, ingress: 1, egress: 2, tos: 0, tcpFlags: 27, icmp: null, srcAs: null, dstAs: null },
    ...{ srcMask: null, dstMask: null, nextHop: null, vlan: null, direction: null, application: null },
    ...{ reverseBytes: null, reversePackets: null, samplingRate: 1, domain: 0, sequence: 0 },
  });
  const directory = { get: async () => senders } as unknown as DirectoryCache;
  const here = questions(db, directory, new TermIndex());
  const traffic = async () => {
    const { figures } = await overview({ db, ask: () => here, senders, silent: new Set() }, ZONE, NOW);
    return figures.find((f) => f.name === "traffic of flows");
  };
  // a file of last year says nothing of these nights, nor do flows of this minute
  await stored("last year", 1, NOW - 365 * US_PER_DAY, [flowAt(NOW - 365 * US_PER_DAY)]);
  await stored("this minute", 1, NOW, [flowAt(NOW - US_PER_MINUTE)]);
  expect(await traffic()).toBeUndefined();
  const at = nightOf(NOW, ZONE, 0).fromUs + US_PER_HOUR;
  await stored("last night", 1, at, [flowAt(at)]);
  expect(await traffic()).toMatchObject({ lastNight: null, usual: null, before: Array(6).fill(null) });
  const client = await db.connect();
  try {
    await sumStored(client as never);
  } finally {
    client.release();
  }
  expect(await traffic()).toMatchObject({ lastNight: 5_000 });
});
