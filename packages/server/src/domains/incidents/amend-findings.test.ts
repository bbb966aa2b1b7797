import pg from "pg";
import { connectionOf, transaction } from "../../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { amend, type LateEvidence } from "./amend-findings.js";
import { Findings } from "./findings.js";
import type { FindingRow } from "./findings-repository.js";
import { NOTED_APART_US, noteLateHeldBack } from "./note-late.js";
import { mergeIncidents } from "./repository.js";

const S = 1e6;
const T = 1_700_000_000 * S;
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
beforeEach(() => client.query("truncate incident, incident_event, finding, evidence restart identity cascade"));

async function incident(): Promise<number> {
  const { rows } = await client.query<{ id: number }>(
    "insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities) values ('t', 3, 'open', 'r', 1, 'k', $1, $1, $1, 0, '{}') returning id",
    [T],
  );
  return rows[0]!.id;
}
async function finding(of: number | null, count = 10): Promise<FindingRow> {
  const { rows } = await client.query<{ id: number }>(
    "insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities, facts, rule_version) values ($1, 'r', 'live', 'k', $2, $3, $3, $4, '[]', '[]', '{}', '{}', 1) returning id",
    [of, T, T + 60 * S, count],
  );
  return {
    id: rows[0]!.id,
    incident: of,
    ruleId: "r",
    lane: "live",
    key: "k",
    firstUs: T,
    lastUs: T + 60 * S,
    count,
    clearedUs: null,
  };
}
/** Late records at these seconds after T. */
const late = (...seconds: number[]): LateEvidence => ({
  count: seconds.length,
  firstUs: T + Math.min(...seconds) * S,
  lastUs: T + Math.max(...seconds) * S,
  evidence: seconds.map((s) => ({ id: String(s + 1_000), timeUs: T + s * S })),
});
const step = (amended: readonly (readonly [FindingRow, LateEvidence])[], nowUs: number) =>
  transaction(client, () => amend(client, new Map(amended), nowUs));
const rowsOf = async (table: "incident" | "finding", id: number) =>
  (await client.query(`select count, kept, first_us, last_us from ${table} where id = $1`, [id])).rows[0];
const told = async (id: number): Promise<string[]> =>
  (
    await client.query<{ detail: string }>(
      "select detail from incident_event where incident = $1 and code = 'amended' order by id",
      [id],
    )
  ).rows.map((r) => r.detail);

test("all of a step together: findings of one incident, of several, of none", async () => {
  const [one, other] = [await incident(), await incident()];
  const [a, b, c, listening] = [await finding(one), await finding(one, 5), await finding(other), await finding(null)];
  await step(
    [
      [a, late(-30, 10)],
      // a record that two findings of an incident hold is kept once
      [b, late(10, 90)],
      [c, late(20)],
      [listening, late(5)],
    ],
    T + 900 * S,
  );
  expect(await rowsOf("finding", a.id)).toEqual({ count: 12, kept: 2, first_us: T - 30 * S, last_us: T + 60 * S });
  expect(await rowsOf("finding", b.id)).toEqual({ count: 7, kept: 2, first_us: T, last_us: T + 90 * S });
  expect(await rowsOf("incident", one)).toEqual({
    count: 3 + 10 + 5,
    kept: 3,
    first_us: T - 30 * S,
    last_us: T + 90 * S,
  });
  expect(await rowsOf("incident", other)).toEqual({ count: 11, kept: 1, first_us: T, last_us: T + 20 * S });
  expect(await rowsOf("finding", listening.id)).toMatchObject({ count: 11, kept: 0 });
  expect([a.count, b.lastUs, listening.count]).toEqual([12, T + 90 * S, 11]);
  expect([await told(one), await told(other)]).toEqual([
    ["4 records that came late were added"],
    ["a record that came late was added"],
  ]);
});

test("a flood of late records is a line each ten minutes, and none of them goes untold", async () => {
  const id = await incident();
  const f = await finding(id);
  const nowUs = T + 900 * S;
  for (let i = 0; i < 50; i++) await step([[f, late(i)]], nowUs + i * S);
  expect(await told(id)).toEqual(["a record that came late was added"]);
  await noteLateHeldBack(client, nowUs + 300 * S);
  expect(await told(id)).toHaveLength(1);
  await noteLateHeldBack(client, nowUs + NOTED_APART_US);
  expect(await told(id)).toEqual(["a record that came late was added", "49 records that came late were added"]);
  await noteLateHeldBack(client, nowUs + 3 * NOTED_APART_US);
  await step([[f, late(60)]], nowUs + 3 * NOTED_APART_US);
  expect(await told(id)).toHaveLength(3);
  // a clock that was set back does not make it wait for the time it had
  await step([[f, late(61)]], nowUs);
  expect(await told(id)).toHaveLength(4);
  expect(await rowsOf("incident", id)).toMatchObject({ count: 62, kept: 52 });
});

test("what was held back goes along when incidents are made one", async () => {
  const [one, other] = [await incident(), await incident()];
  const [f, g] = [await finding(one), await finding(other)];
  const nowUs = T + 900 * S;
  for (const s of [1, 2, 3]) await step([[f, late(s)]], nowUs);
  for (const s of [4, 5]) await step([[g, late(s)]], nowUs);
  await transaction(client, () => mergeIncidents(client, one, other, "as one", true));
  // it lies elsewhere now than its finding remembers
  await step([[f, late(6)]], nowUs);
  await noteLateHeldBack(client, nowUs, other);
  expect(await told(other)).toEqual(["a record that came late was added", "4 records that came late were added"]);
  expect(await rowsOf("incident", other)).toMatchObject({ count: 26, kept: 6 });
});

test("one that cannot be written takes no other along", async () => {
  const id = await incident();
  const [good, bad, next] = [await finding(id), await finding(id), await finding(id)];
  const findings = await Findings.load(client, "UTC", T);
  const failed: string[] = [];
  await transaction(client, () =>
    findings.amend(
      client,
      new Map([
        [good, late(1)],
        [bad, { ...late(2), count: Number.MAX_SAFE_INTEGER * 4 }],
        [next, late(3)],
      ]),
      T + 900 * S,
      {
        isApart: true,
        run: async (rule, work) => {
          await client.query("savepoint one");
          try {
            await work();
          } catch {
            failed.push(rule);
            await client.query("rollback to savepoint one");
          }
        },
      },
    ),
  );
  expect(failed).toEqual(["r"]);
  expect([good.count, bad.count, next.count]).toEqual([11, 10, 11]);
  expect(await rowsOf("finding", next.id)).toMatchObject({ count: 11 });
  expect(await rowsOf("incident", id)).toMatchObject({ count: 32 });
});
