import { formatUs } from "@halvik/core/base/time";
import { entityCode } from "@halvik/core/model/entity";
import type pg from "pg";
import request from "supertest";
import { nowUs } from "../../kernel/clock.js";
import { connectionOf, createPool } from "../../kernel/db/pool.js";
import { TestApi } from "../../testing/test-api.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";

const MIN = 60e6;
const H = 60 * MIN;
let instance: TestInstance;
let db: pg.Pool;
let api: TestApi;
beforeAll(async () => {
  instance = await startTestInstance();
  db = createPool(connectionOf(instance.config, instance.secrets, "owner"), 2, 10_000);
  api = await TestApi.start(instance);
}, 240_000);
afterAll(async () => {
  await api?.close();
  await db?.end();
  await instance?.dispose();
});

const T = Math.floor(nowUs() / H) * H - 48 * H;
const get = async (path: string) => {
  const answer = await request(api.app).get(`/api/v1${path}`).set("authorization", `Bearer ${api.reader}`);
  expect(answer.status).toBe(200);
  return answer.body;
};
const window = (from: number, to: number) =>
  `from=${encodeURIComponent(formatUs(from))}&to=${encodeURIComponent(formatUs(to))}`;

async function incident(atUs: number, over: Record<string, unknown> = {}): Promise<number> {
  const row = {
    title: "t",
    severity: 4,
    state: "cleared",
    rule_id: "refused-logons",
    rule_version: 1,
    key: "k",
    first_us: atUs,
    last_us: atUs,
    raised_us: atUs,
    ended_us: atUs + 30 * MIN,
    count: 3,
    entities: [entityCode("sender", "1")],
    folded: false,
    acknowledged_us: null,
    close_reason: null,
    ...over,
  };
  const names = Object.keys(row);
  const { rows } = await db.query<{ id: number }>(
    `insert into incident (${names.join(", ")}) values (${names.map((_, i) => `$${i + 1}`).join(", ")}) returning id`,
    Object.values(row),
  );
  return rows[0]!.id;
}
const event = (id: number, code: string, atUs: number, history = false) =>
  db.query(
    "insert into incident_event (incident, at_us, who, code, noted, history) values ($1, $2, 'Halvik', $3, true, $4)",
    [id, atUs, code, history],
  );

test("what called for people in a window: not what another explains, what was merged or what lies outside", async () => {
  const first = await incident(T, { acknowledged_us: T + 2 * MIN, close_reason: "false", state: "closed" });
  await event(first, "raised", T);
  await event(first, "returned", T + 40 * MIN);
  await incident(T + MIN, { severity: 2, rule_id: "silent-sender", acknowledged_us: T + 11 * MIN });
  await incident(T + 2 * MIN, { folded: true });
  await incident(T + 3 * MIN, { merged_into: first });
  const imported = await incident(T + 4 * MIN);
  await event(imported, "raised", nowUs(), true);
  await incident(T - H);
  await incident(T + H);
  const load = await get(`/load?${window(T, T + H)}`);
  expect(load).toMatchObject({ alarms: 4, imported: 1, isCut: false, stepSeconds: 600 });
  expect(load.steps.map((s: { count: number; severe: number }) => [s.count, s.severe])).toEqual([
    [3, 1],
    [0, 0],
    [0, 0],
    [0, 0],
    [1, 0],
    [0, 0],
  ]);
  expect(load.rules.map((r: { id: string; count: number }) => [r.id, r.count])).toEqual([
    ["refused-logons", 3],
    ["silent-sender", 1],
  ]);
  expect(load.rules[0]).toMatchObject({ name: expect.stringMatching(/logon/i), falseOrExpected: 2, closed: 2 });
  // the one that came back was acknowledged before it did
  expect(load.acknowledged).toEqual({ of: 3, median: 120, nineOfTen: 600 });
  expect(load.closedAs).toMatchObject({ false: 2, fixed: 0 });
  const live = await get(`/load?${window(T, T + H)}&live=true`);
  expect(live).toMatchObject({ alarms: 3, imported: 0 });
});

test("messages on one person: once for each, whatever went together, and not what was not sent", async () => {
  const at = T + 10 * H;
  const [one, other] = [await incident(at), await incident(at)];
  const send = (of: number, message: string, to: string[], state = "sent", atUs = at + MIN) =>
    db.query(
      "insert into delivery (route, route_name, incident, tells, made_us, due_us, ended_us, state, recipients, message) values (1, 'r', $1, 'raise', $2, $2, $2, $3, $4, $5)",
      [of, atUs, state, to, message],
    );
  const ids = [1, 2, 3].map((n) => `00000000-0000-4000-8000-00000000000${n}`) as [string, string, string];
  await send(one, ids[0], ["a@orvane.example", "b@orvane.example"]);
  await send(other, ids[0], ["a@orvane.example", "b@orvane.example"]);
  await send(one, ids[1], ["a@orvane.example"]);
  await send(one, ids[2], ["a@orvane.example"], "dropped");
  const scope = window(at, at + H);
  const all = await get(`/load?${scope}`);
  expect(all.people).toEqual([
    { to: "a@orvane.example", messages: 2, mostInTenMinutes: 2 },
    { to: "b@orvane.example", messages: 1, mostInTenMinutes: 1 },
  ]);
  expect(await get(`/load?${scope}&person=a%40orvane.example`)).toMatchObject({ alarms: 2 });
  expect(await get(`/load?${scope}&person=nobody`)).toMatchObject({ alarms: 0 });
});

test("a suggestion can be made the next version as it stands; one whose tests would fail says so", async () => {
  const at = nowUs() - 72 * H;
  const { rows } = await db.query<{ body: { id: string; count: number } }>(
    "select body from rule where body->>'kind' = 'count' and (body->>'count')::int >= 4 and body->'clear'->>'by' = 'quiet' order by id limit 1",
  );
  const { body } = rows[0]!;
  for (let i = 0; i < 12; i++) {
    const raised = at + i * 7 * H;
    const of = await incident(raised, { rule_id: body.id, key: `k${i}`, close_reason: "expected", state: "closed" });
    await db.query(
      `insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, cleared_us, count, evidence_first, evidence_latest, entities)
       values ($1, $2, 'live', $3, $4, $5, $4, $6, $7, '[]', '[]', '{}')`,
      [
        of,
        body.id,
        `k${i}`,
        raised,
        raised + (i < 8 ? 1e6 : 3 * H),
        raised + 4 * H,
        i < 8 ? body.count : body.count * 9,
      ],
    );
  }
  const { suggestions } = await get("/load/suggestions?days=30");
  const own = suggestions.filter((s: { rule: string }) => s.rule === body.id);
  expect(own.map((s: { kind: string; without: number }) => [s.kind, s.without])).toEqual(
    expect.arrayContaining([
      ["hold", 8],
      ["threshold", 8],
    ]),
  );
  for (const { text, failing } of own) {
    const saved = await request(api.app)
      .post("/api/v1/rules")
      .set("authorization", `Bearer ${api.actor}`)
      .send({ text });
    expect([saved.status, failing.length === 0]).toEqual(failing.length === 0 ? [200, true] : [422, false]);
  }
});
