import type { SenderPortrait } from "@halvik/contract/senders";
import { US_PER_HOUR } from "@halvik/core/base/time";
import { emptyContent, type RecordKind, type Severity } from "@halvik/core/model/record";
import { nowUs } from "../../../kernel/clock.js";
import { TestStore } from "../../../testing/test-store.js";

const HOUR = Math.floor(nowUs() / US_PER_HOUR) * US_PER_HOUR;
let store: TestStore;
let id: number;
beforeAll(async () => {
  store = await TestStore.start();
  id = await store.addSender("fw-1", "Orvane", ["10.20.1.1"]);
  await store.addSender("srv-1");
}, 240_000);
afterAll(() => store?.dispose());

const records = (n: number, hoursAgo: number, kind: RecordKind = "firewall", severity: Severity = 4) =>
  Array.from({ length: n }, (_, i) => {
    const at = HOUR - hoursAgo * US_PER_HOUR + i * 1_000;
    return { sender: id, content: Object.assign(emptyContent(kind, at, at), { severity }) };
  });
const ask = async (): Promise<SenderPortrait> => (await store.api.get(`/senders/${id}`)).body as SenderPortrait;
const note = async (count: number): Promise<SenderPortrait> =>
  (await store.api.post(`/senders/${id}/counter`, { count })).body as SenderPortrait;

test("one that never sent says so", async () => {
  expect(await ask()).toMatchObject({ kinds: [], severities: [], share: 0, undecodable: [], counters: [] });
  expect((await ask()).hours).toEqual(Array.from({ length: 168 }, () => 0));
  expect((await store.api.get("/senders/999999")).status).toBe(404);
});

test("what it sends beside what it usually does, of the days on which it can have sent", async () => {
  // since three days before the last one: 24 an hour at one hour of each
  for (const day of [3, 2, 1]) await store.put(records(24, 24 * day + 12));
  await store.put([...records(60, 5), ...records(10, 3, "syslog", 2)]);
  const p = await ask();
  const days = (24 * 3 + 12 - 24) / 24;
  expect(p.kinds).toEqual([
    { kind: "syslog", hours: expect.any(Array), day: 10, usual: 0 },
    { kind: "firewall", hours: expect.any(Array), day: 60, usual: 72 / days },
  ]);
  expect(p.severities.map((s) => [s.severity, s.day])).toEqual([
    [2, 10],
    [4, 60],
  ]);
  expect([p.hours[168 - 5], p.kinds[1]!.hours[168 - 5], p.kinds[0]!.hours[168 - 3]]).toEqual([60, 60, 10]);
  expect(p.share).toBe(1);
});

test("its own counter beside ours: nothing said of one, the difference of two, and one that began anew", async () => {
  // a record that is not readable, or came before, is one message like others
  const heard = (messages: number) =>
    store.client.query(
      `insert into sender_activity (sender, messages, records, problems, copies) values ($1, $2, $2, 7, 9)
       on conflict (sender) do update set messages = excluded.messages, records = excluded.records`,
      [id, messages],
    );
  await heard(100);
  expect((await note(5_000)).counters).toMatchObject([{ theirs: 5_000, since: null, who: "token actor" }]);
  await heard(190);
  expect((await note(5_100)).counters[0]).toMatchObject({ since: { theirs: 100, ours: 90 } });
  await heard(195);
  expect((await note(3)).counters[0]).toMatchObject({ since: { theirs: -5_097, ours: 5 } });
  // many notes do not pile up
  for (let i = 0; i < 25; i++) await note(i);
  expect((await ask()).counters).toHaveLength(20);
  await store.api.delete(`/senders/${id}/counter`);
  expect((await ask()).counters).toEqual([]);
  expect((await store.api.post(`/senders/${id}/counter`, { count: -1 })).status).toBe(400);
  expect((await store.api.post(`/senders/${id}/counter`, { count: 1 }, store.api.reader)).status).toBe(403);
});

test("what could not be read of its addresses, and the rules that name it", async () => {
  await store.client.query(
    "insert into undecodable (endpoint, at_us, peer, code, message, byte_offset, sample) values ('flows', 1, '10.20.1.1', 'NOT_FLOW', 'no', 0, '\\x0102'), ('flows', 1, '10.20.1.2', 'NOT_FLOW', 'no', 0, '\\x03')",
  );
  expect((await ask()).undecodable).toMatchObject([{ code: "NOT_FLOW", hex: "0102" }]);
  await store.client.query(
    "insert into saved_filter (name, text, owner, shared, changed_us) values ('of it', 'sender is FW-1', 'x', true, 0), ('not ours', 'sender is FW-1', 'x', false, 0), ('of another', 'sender is fw-10', 'x', true, 0), ('by chance', 'text has fw-1', 'x', true, 0)",
  );
  const id = expect.any(String);
  expect((await ask()).uses).toEqual([{ what: "saved filter", id, name: "of it" }]);
  for (const [table, columns, values] of [
    ["report", "author, changed_us", "'x', 0"],
    ["forward", "author, changed_us", "'x', 0"],
    ["notify_route", "author, changed_us", "'x', 0"],
    ["board", "owner, shared, changed_by, changed_us", "'x', true, 'x', 0"],
    ["board", "owner, changed_by, changed_us", "'another', 'another', 0"],
  ] as const)
    await store.client.query(`insert into ${table} (body, ${columns}) values ($1, ${values})`, [
      { name: `a ${table} of it`, filter: "kind is flow and sender is fw-1" },
    ]);
  expect((await ask()).uses.map((u) => [u.what, u.name])).toEqual([
    ["board", "a board of it"],
    ["forward", "a forward of it"],
    ["notification", "a notify_route of it"],
    ["report", "a report of it"],
    ["saved filter", "of it"],
  ]);
  for (const table of ["report", "forward", "notify_route", "board"]) await store.client.query(`delete from ${table}`);
});

test("under the name and the address it had before it is still found, until they are another's", async () => {
  const change = (sender: number, body: object) => store.api.patch(`/senders/${sender}`, body);
  const found = async (filter: string): Promise<number> =>
    ((await store.api.get(`/records?${new URLSearchParams({ filter, limit: "500" })}`)).body as { records: unknown[] })
      .records.length;
  const before = await found("sender is fw-1");
  expect(before).toBeGreaterThan(0);
  expect((await change(id, { name: "fw-north", addresses: ["10.20.1.9"], tags: ["edge"] })).status).toBe(200);
  const { senders } = (await store.api.get("/senders")).body as { senders: { id: number }[] };
  expect(senders.find((s) => s.id === id)).toMatchObject({
    tags: ["edge"],
    formerNames: ["fw-1"],
    formerAddresses: ["10.20.1.1"],
  });
  const now = expect.stringMatching(/^2/);
  expect((await ask()).called).toEqual([
    { what: "address", value: "10.20.1.9", since: now, until: null },
    { what: "address", value: "10.20.1.1", since: null, until: now },
    { what: "name", value: "fw-1", since: null, until: now },
  ]);
  // an address that stays was its since it came; one that is given back has both
  await change(id, { addresses: ["10.20.1.9", "10.20.1.10"] });
  await change(id, { addresses: ["10.20.1.10"] });
  const { called } = await ask();
  expect(called.map((c) => [c.value, c.since !== null, c.until !== null])).toEqual([
    ["10.20.1.10", true, false],
    ["10.20.1.9", true, true],
    ["10.20.1.1", false, true],
    ["fw-1", false, true],
  ]);
  for (const filter of ["sender is FW-1", "sender is 10.20.1.1", "sender is fw-north", "sender in tag edge"])
    expect([filter, await found(filter)]).toEqual([filter, before]);
  const other = await store.addSender("fw-1");
  expect(await found("sender is fw-1")).toBe(0);
  await store.client.query("delete from sender where id = $1", [other]);
  // what it is again it was not
  await change(id, { name: "fw-1" });
  const again = (await store.api.get("/senders")).body as { senders: { id: number; formerNames: string[] }[] };
  expect(again.senders.find((s) => s.id === id)!.formerNames).toEqual(["fw-north"]);
});
