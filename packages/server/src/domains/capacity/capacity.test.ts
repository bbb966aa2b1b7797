import type { Capacity } from "@halvik/contract/capacity";
import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { emptyContent, type RecordKind } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import { BatchWriter } from "../../store/batches.js";
import { TestStore } from "../../testing/test-store.js";

const HOUR = Math.floor(nowUs() / US_PER_HOUR) * US_PER_HOUR;
let store: TestStore;
let sender: number;
let other: number;
beforeAll(async () => {
  store = await TestStore.start();
  sender = await store.addSender("fw-1", "Orvane");
  other = await store.addSender("srv-1");
}, 240_000);
afterAll(() => store?.dispose());

const ask = async (query = ""): Promise<Capacity> => {
  const { status, body } = await store.api.get(`/capacity${query}`);
  if (status !== 200) throw new Error(JSON.stringify(body));
  return body as Capacity;
};
const records = (of: number, kind: RecordKind, n: number, hoursAgo: number, text: string) =>
  Array.from({ length: n }, (_, i) => {
    const at = HOUR - hoursAgo * US_PER_HOUR + i * 1_000;
    return { sender: of, content: Object.assign(emptyContent(kind, at, at), { text: `${text} ${i}` }) };
  });

test("with nothing stored it plans with what devices usually send", async () => {
  const c = await ask("?devices=switch%3D10");
  expect(c).toMatchObject({ measuredDays: 0, streams: [], now: { bytesADay: 0, full: null } });
  // 62 and 9 an hour, ten times, a day
  expect(c.devices[0]).toMatchObject({ kind: "switch", count: 10, recordsADay: 10 * 71 * 24 });
  expect(c.asked.bytesADay).toBeCloseTo(10 * 24 * (62 * 480 + 9 * 620));
});

test("what arrives by kind, sender and site, in whole hours; all kinds together are the database, within a tenth", async () => {
  for (let h = 48; h >= 1; h -= 4) {
    await store.put(records(sender, "firewall", 1_000, h, "deny ".repeat(20)));
    await store.put(records(other, "syslog", 500, h, "hello"));
  }
  await store.client.query("vacuum analyze");
  const c = await ask();
  expect(c.measuredDays).toBeCloseTo(2);
  expect(c.streams.map((s) => [s.kind, Math.round(s.recordsADay), s.measured])).toEqual([
    ["firewall", 6_000, true],
    ["syslog", 3_000, true],
  ]);
  // longer lines take more
  expect(c.streams[0]!.bytesARecord).toBeGreaterThan(c.streams[1]!.bytesARecord);
  expect(c.senders[0]).toMatchObject({ name: "fw-1", site: "Orvane" });
  expect(c.sites).toEqual([{ site: "Orvane", bytesADay: c.senders[0]!.bytesADay }]);
  expect(c.hours.reduce((a, b) => a + b, 0)).toBe(18_000);
  const whole = c.streams.reduce((sum, s) => sum + s.recordsADay * 2 * s.bytesARecord, 0);
  const { rows } = await store.client.query("select pg_database_size(current_database())::float8 as bytes");
  expect(Math.abs(whole / rows[0].bytes - 1)).toBeLessThan(0.1);
});

test("other days change what the store ends at, for all or for one sender; what stands says it as it is set", async () => {
  const now = await ask();
  const aDay = now.now.bytesADay;
  const longer = await ask("?records=400");
  expect(longer.now).toEqual(now.now);
  expect(longer.asked.steadyBytes / aDay).toBeCloseTo(400);
  const one = await ask(`?sender=${sender}&keep=3`);
  expect(one.asked.steadyBytes).toBeLessThan(now.asked.steadyBytes);
  // the disk as the system has it: full when a year of it would not fit
  const free = now.disk.free - now.disk.shed;
  const days = Math.ceil(free / aDay);
  const much = await ask("?records=3650&devices=firewall%2C%20every%20session%3D100000");
  expect(Date.parse(much.asked.full!)).toBeLessThan(nowUs() / 1_000 + days * (US_PER_DAY / 1_000));
});

test("a file of last year makes the store no older: it still grows by what is not yet as old as it may be", async () => {
  const before = await ask("?records=400");
  const { rows } = await store.client.query<{ id: number }>(
    "insert into job (name, state, started_us, updated_us) values ('last year', 'done', 0, 0) returning id",
  );
  const file = new BatchWriter(store.client, store.writer.collector, rows[0]!.id);
  await store.put(records(sender, "firewall", 100, 24 * 370, "old"), file);
  const after = await ask("?records=400");
  expect(after.asked.steadyBytes / before.asked.steadyBytes).toBeCloseTo(1, 1);
  expect(after.store.storedDays).toBeLessThan(4);
});

test.each(["?records=0", "?devices=toaster%3D3", "?devices=switch%3D-1", "?keep=99999"])(
  "%s is refused with a reason",
  async (query) => {
    expect((await store.api.get(`/capacity${query}`)).status).toBe(400);
  },
);
