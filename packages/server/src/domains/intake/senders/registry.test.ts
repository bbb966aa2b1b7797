import pg from "pg";
import { connectionOf } from "../../../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../../../testing/test-database.js";
import { SenderRegistry } from "./registry.js";

/** Who may be on the list of waiting senders when more come than it holds. */
const S = 1_000_000;
const T = 1_800_000_000 * S;
let instance: TestInstance;
let client: pg.Client;
beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
}, 240_000);
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

const invented = (n: number, third: number) =>
  Array.from({ length: n }, (_, i) => `10.${third + (i >> 16)}.${(i >> 8) & 255}.${i & 255}`);
const waiting = async () =>
  (await client.query("select count(*)::int as n from sender where state = 'waiting'")).rows[0].n;
const isListed = async (address: string) =>
  ((await client.query("select 1 from sender_address where address = $1::inet", [address])).rowCount ?? 0) > 0;

test("a thousand invented addresses do not hide a device, nor do twenty thousand more make it forgotten", async () => {
  const registry = new SenderRegistry("UTC");
  await registry.refresh(client);
  const hear = (addresses: readonly string[], second: number) =>
    registry.notice(client, new Map(addresses.map((a) => [a, T + second * S])));
  await hear(invented(1_000, 1), 0);
  expect(await waiting()).toBe(1_000);

  const device = "192.0.2.77";
  await hear([device], 1);
  await hear(invented(15_000, 2), 5);
  await hear([device], 10);
  expect(await isListed(device)).toBe(false);
  await hear(invented(15_000, 3), 15);
  await hear([device], 22);
  expect([await isListed(device), await waiting()]).toEqual([true, 1_000]);
  expect(registry.peer(device)?.facts.state).toBe("waiting");

  // what comes often within a moment is not yet a device
  for (let i = 0; i < 10; i++) await hear(["192.0.2.78"], 30 + i / 10);
  expect(await isListed("192.0.2.78")).toBe(false);
});

test("who waits and has nothing held any more gives its place up after a day, unless it is still heard", async () => {
  const registry = new SenderRegistry("UTC");
  await registry.refresh(client);
  await registry.forgetWaiting(client, T + 3_600 * S);
  expect(await waiting()).toBe(1_000);
  // one goes on sending; of another the last was heard a day and a second before
  await client.query(
    `insert into sender_activity (sender, last_heard_us)
     select id, case when n = 1 then $1::bigint else $2::bigint end from (select id, row_number() over (order by id) as n from sender where state = 'waiting') w where n <= 2`,
    [T + 2 * 86_400 * S - S, T + 86_400 * S - S],
  );
  await registry.forgetWaiting(client, T + 2 * 86_400 * S);
  expect(await waiting()).toBe(1);
  await registry.forgetWaiting(client, T + 3 * 86_400 * S);
  expect(await waiting()).toBe(0);
});

describe("what is set has changed when a row has", () => {
  const versions = async (): Promise<readonly number[]> => {
    const { rows } = await client.query<{ d: number; k: number; r: number }>(
      "select (select version from directory_version) as d, (select version from kind_change) as k, (select version from rule_change) as r",
    );
    return [rows[0]!.d, rows[0]!.k, rows[0]!.r];
  };

  test("whoever looks for changes, again and again, makes none", async () => {
    const registry = new SenderRegistry("UTC");
    await registry.refresh(client);
    const before = await versions();
    for (let second = 0; second < 3; second++) {
      await registry.refresh(client);
      await registry.forgetWaiting(client, T + second * S);
    }
    expect(await versions()).toEqual(before);
  });

  test("each table that counts: a statement that meets no row is no change, one that meets some is one", async () => {
    const { rows } = await client.query<{ name: string }>(
      "select distinct tgrelid::regclass::text as name from pg_trigger t join pg_proc p on p.oid = t.tgfoid where p.proname like 'bump%'",
    );
    expect(rows.length).toBeGreaterThan(15);
    for (const { name } of rows) {
      const before = await versions();
      await client.query(`delete from ${name} where false`);
      expect([name, await versions()]).toEqual([name, before]);
    }
    const [directory, kinds, rules] = await versions();
    await client.query(
      "insert into sender (name, state, first_seen_us) values ('one', 'admitted', 0), ('two', 'admitted', 0)",
    );
    await client.query("update rule set body = body where id = (select min(id) from rule)");
    await client.query("insert into own_domain (domain, author, at_us) values ('orvane.example', 'x', 0)");
    await client.query("delete from own_domain where domain = 'orvane.example'");
    expect(await versions()).toEqual([directory! + 1, kinds! + 2, rules! + 1]);
  });
});
