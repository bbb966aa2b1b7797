import pg from "pg";
import { connectionOf } from "../../kernel/db/pool.js";
import { RoleProcess } from "../../testing/roles.js";
import { eventually, startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { gapBefore, gapsWithin, writeListening } from "./listening-repository.js";

/** When nobody listened is known, whatever ended the listening. */
let instance: TestInstance;
let client: pg.Client;
const S = 1e6;
beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});
beforeEach(() => client.query("delete from listening"));

const listen = async (...stretches: readonly (readonly [from: number, to: number])[]) => {
  for (const [from, to] of stretches) await writeListening(client, from * S, to * S);
};
const gaps = async (from: number, to: number, now: number) =>
  (await gapsWithin(client, { fromUs: from * S, toUs: to * S }, now * S)).map((g) => [g.fromUs / S, g.toUs / S]);

test.each<
  [string, readonly (readonly [number, number])[], readonly [number, number, number], readonly (readonly number[])[]]
>([
  ["nobody ever listened: nothing is claimed", [], [0, 100, 100], []],
  ["since somebody first listened: what was before is not Halvik's", [[50, 100]], [0, 100, 100], []],
  [
    "two collectors, one within the other's time: no gap while either listens",
    [
      [0, 80],
      [10, 20],
      [90, 100],
    ],
    [0, 100, 100],
    [[80, 90]],
  ],
  [
    "one gap",
    [
      [0, 40],
      [60, 100],
    ],
    [0, 100, 100],
    [[40, 60]],
  ],
  [
    "cut to the window",
    [
      [0, 40],
      [60, 100],
    ],
    [50, 70, 100],
    [[50, 60]],
  ],
  [
    "outside of the window",
    [
      [0, 40],
      [60, 100],
    ],
    [61, 70, 100],
    [],
  ],
  ["it still lasts", [[0, 40]], [0, 100, 100], [[40, 100]]],
  [
    "the pace of saying so is no gap",
    [
      [0, 40],
      [42, 99],
    ],
    [0, 100, 100],
    [],
  ],
  [
    "two",
    [
      [0, 10],
      [20, 30],
      [40, 100],
    ],
    [0, 100, 100],
    [
      [10, 20],
      [30, 40],
    ],
  ],
])("%s", async (_what, stretches, [from, to, now], want) => {
  await listen(...stretches);
  expect(await gaps(from, to, now)).toEqual(want);
});

test("a stretch grows and never shrinks; one that begins anew knows what came before", async () => {
  await listen([0, 10], [0, 30], [0, 20]);
  expect(await gaps(0, 60, 60)).toEqual([[30, 60]]);
  expect(await gapBefore(client, 60 * S)).toEqual({ fromUs: 30 * S, toUs: 60 * S });
  expect(await gapBefore(client, 32 * S)).toBeNull();
  expect(await gapBefore(client, 0)).toBeNull();
});

test("a collector that is killed and started again says from when to when nobody listened, as a record too", async () => {
  const first = await RoleProcess.start(instance, "collector");
  const heard = async () => (await client.query<{ n: number }>("select count(*)::int as n from listening")).rows[0]!.n;
  await eventually("listening is noted", heard, (n) => n === 1);
  await first.kill();
  const killedUs = Date.now() * 1_000;
  await new Promise((r) => setTimeout(r, 4_500));
  const again = await RoleProcess.start(instance, "collector");
  await eventually("the second stretch", heard, (n) => n === 2);
  const [gap, more] = await gapsWithin(client, { fromUs: 0, toUs: 4e15 }, Date.now() * 1_000);
  expect(more).toBeUndefined();
  // it is said every second, so it cannot have ended earlier than that before
  expect(Math.abs(gap!.fromUs - killedUs)).toBeLessThan(5 * S);
  expect(gap!.toUs - gap!.fromUs).toBeGreaterThanOrEqual(4 * S);
  const told = async () => {
    const { rows } = await client.query<{ name: string }>("select name from segment where shape = 'record'");
    for (const { name } of rows) {
      const found = await client.query(`select message, data from segments.${name} where event = 'not-listening'`);
      if (found.rowCount) return found.rows[0] as { message: string; data: [string, string][] };
    }
    return null;
  };
  const record = await eventually("the record", told, (r) => r !== null);
  expect(record!.message).toMatch(/^Halvik was not listening for \d+ s: nothing sent from /);
  expect(record!.data.map(([name]) => name)).toEqual(["from", "to", "seconds"]);
  await again.stop();
}, 240_000);
