import { shippedRules } from "@halvik/core/detect";
import fc from "fast-check";
import pg from "pg";
import { testRecord } from "../../../../core/src/testing/record.js";
import { connectionOf, transaction } from "../../kernel/db/pool.js";
import { BatchWriter } from "../../store/batches.js";
import { claimCollector } from "../../store/collectors.js";
import { IdSource } from "../../store/record-id.js";
import { dropSegment } from "../../store/segment-life.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { Care } from "../rules/running/careful.js";
import { EngineSession } from "../rules/running/session.js";
import { type Attached, keepEvidence, keptEvidence, storedOrKept, withBytes } from "./evidence-repository.js";
import { mergeIncidents, splitIncident } from "./repository.js";

const S = 1e6;
const T = 1_700_000_000 * S;
let instance: TestInstance;
let client: pg.Client;
let writer: BatchWriter;
let ids: IdSource;
let number = 0;

async function collect(name: string): Promise<void> {
  const claim = await claimCollector(client, name, "live");
  writer = new BatchWriter(client, claim.number, null);
  ids = new IdSource(claim.number, 0);
  number = 0;
}
beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  await collect("one");
}, 240_000);
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

/** What a text may have that means something to JSON, to an array or to what stands between records. */
const HOSTILE = '"\\{,}\x1e\u0085null';
/** Stores a refused logon at each of these times after T. */
async function refused(src: string, seconds: readonly number[], through: number): Promise<void> {
  const records = seconds.map((s, i) => {
    const timeUs = T + Math.round(s * S);
    const raw = i % 2 === 0 ? null : new Uint8Array([0xff, i & 255]);
    const about = {
      category: "logon",
      outcome: "failure",
      src,
      users: [`u${i % 9}`],
      text: `try ${s} ${HOSTILE}`,
      raw,
    } as const;
    return {
      id: ids.next(timeUs),
      sender: 1,
      endpoint: "t",
      copyOf: null,
      content: testRecord({ timeUs, receivedUs: timeUs, ...about }),
    };
  });
  await writer.commit({ number: ++number, records, throughUs: T + through * S, runRules: true }, T + through * S);
}
const open = () => EngineSession.open(client, "UTC", new Care());
const finding = async (src: string) =>
  (
    await client.query<{ id: number; count: number; kept: number; incident: number }>(
      "select id, count, kept, incident from finding where key = $1 and rule_id = 'refused-logons'",
      [src],
    )
  ).rows[0]!;
const upTo = (n: number, from: number, step: number) => Array.from({ length: n }, (_, i) => from + i * step);
const keep = (attached: readonly Attached[]) => transaction(client, () => keepEvidence(client, attached));
const all = async ({ id, incident }: { id: number; incident: number }) =>
  keptEvidence(client, { incident, finding: id }, "oldest first", null, 20_000);

test("the rule that is used here ships", () => {
  expect(shippedRules().map((r) => r.id)).toContain("refused-logons");
});

test("every record is kept, in steps of any size and over restarts, with its bytes; a late one too", async () => {
  await refused("10.1.0.1", upTo(9, 0, 1), 9);
  const session = await open();
  await session.step();
  await refused("10.1.0.1", upTo(120, 9, 0.1), 22);
  await session.step();
  // growth within two seconds is written later; evidence is not
  await refused("10.1.0.1", upTo(70, 22, 0.1), 30);
  await session.step();
  const again = await open();
  await refused("10.1.0.1", upTo(31, 30, 0.1), 34);
  await again.step();
  const made = await finding("10.1.0.1");
  expect(made.kept).toBe(230);
  // other rules hold the same records: they are counted once
  const { rows: counted } = await client.query(
    "select i.count, (select count(distinct record) from evidence e join finding f on f.id = e.finding where f.incident = i.id) as records, (select count(*) from finding where incident = i.id) as findings from incident i where id = $1",
    [made.incident],
  );
  expect(counted[0].count).toBe(counted[0].records);
  expect(counted[0].findings).toBeGreaterThan(1);
  const rows = await all(made);
  expect(new Set(rows.map((r) => r.record)).size).toBe(230);
  expect(rows.map((r) => r.timeUs)).toEqual([...rows.map((r) => r.timeUs)].sort((a, b) => a - b));
  const bytes = await withBytes(
    client,
    rows.map((r) => r.record),
  );
  expect(bytes.size).toBe(230);
  expect([...bytes.values()].filter(({ record }) => record.text.endsWith(HOSTILE))).toHaveLength(230);
  expect([...bytes.values()].filter(({ raw }) => raw[0] === 0xff).length).toBeGreaterThan(50);
});

test("pages go on where the one before ended", async () => {
  const made = await finding("10.1.0.1");
  const whole = await all(made);
  const paged = [];
  const scope = { incident: made.incident, rule: "refused-logons" };
  for (let after = null, page = []; ; after = page[page.length - 1]!) {
    page = await keptEvidence(client, scope, "newest first", after, 37);
    paged.push(...page);
    if (page.length < 37) break;
  }
  expect(paged).toEqual([...whole].reverse());
  expect(await keptEvidence(client, { ...scope, step: 3 }, "newest first", null, 9)).toEqual([]);
});

test("what is evidence outlives its day; what nobody kept does not", async () => {
  const made = await finding("10.1.0.1");
  const rows = await all(made);
  const before = await storedOrKept(
    client,
    rows.map((r) => r.record),
  );
  const bytes = await withBytes(
    client,
    rows.map((r) => r.record),
  );
  const segments = await client.query<{ name: string }>("select name from segment");
  for (const { name } of segments.rows) await dropSegment(client, name, T);
  const after = await storedOrKept(client, [...rows.map((r) => r.record), "123456789"]);
  const asKept = (records: ReadonlyMap<string, object>) => [...records].map(([at, r]) => [at, { ...r, raw: null }]);
  expect(asKept(after).sort()).toEqual(asKept(before).sort());
  expect(
    await withBytes(
      client,
      rows.map((r) => r.record),
    ),
  ).toEqual(bytes);
});

test("an incident keeps 10,000; a storm beyond that is counted; the same twice is kept once", async () => {
  await collect("another");
  const session = await open();
  for (let i = 0; i < 4; i++) {
    await refused("10.1.0.2", upTo(3_000, 20_000 + i * 30, 0.01), 20_000 + (i + 1) * 30);
    await session.step();
  }
  const made = await finding("10.1.0.2");
  const distinct = async () => keptEvidence(client, { incident: made.incident }, "newest first", null, 20_000);
  expect((await distinct()).length).toBe(10_000);
  const listed = (await all(made)).slice(0, 5).map((r) => ({ id: r.record, timeUs: r.timeUs }));
  await keep([{ finding: made.id, evidence: listed }]);
  expect((await finding("10.1.0.2")).kept).toBe(made.kept);
  expect((await distinct()).length).toBe(10_000);
});

test("what was merged meanwhile grows where it lies now; the one it left is not counted anew", async () => {
  await refused("10.1.0.4", upTo(12, 60_000, 1), 60_020);
  const session = await open();
  await session.step();
  await refused("10.1.0.5", upTo(12, 80_000, 1), 80_020);
  await session.step();
  const [moves, stays] = [await finding("10.1.0.4"), await finding("10.1.0.5")];
  await transaction(client, () => mergeIncidents(client, stays.incident, moves.incident, "a person says so", true));
  // growth within two seconds: where the finding lies is not read again for that
  await refused("10.1.0.5", upTo(5, 80_030, 1), 80_040);
  await session.step();
  const { rows } = await client.query(
    "select count, (select count(distinct record) from evidence e join finding f on f.id = e.finding where f.incident = i.id) as records from incident i where id = $1",
    [moves.incident],
  );
  expect(rows[0].records).toBe(29);
  expect(rows[0].count).toBe(29);
  expect(await keptEvidence(client, { incident: stays.incident }, "newest first", null, 99)).toEqual([]);
});

test("a record that is gone is evidence by name alone, and nothing else is lost with it", async () => {
  await refused("10.1.0.3", upTo(12, 40_000, 1), 40_020);
  await (await open()).step();
  const made = await finding("10.1.0.3");
  const there = (await all(made)).map((r) => r.record);
  await keep([{ finding: made.id, evidence: [{ id: "77", timeUs: T }] }]);
  expect((await finding("10.1.0.3")).kept).toBe(13);
  expect([...(await withBytes(client, ["77", ...there])).keys()].sort()).toEqual([...there].sort());
});

/** What an incident says it keeps and counts, and a recount of both. */
const counted = async () =>
  (
    await client.query<{ id: number; kept: number; count: number; records: number; all: number }>(
      `select i.id, i.kept, i.count,
         (select count(distinct record) from evidence e join finding f on f.id = e.finding where f.incident = i.id)::int as records,
         (select count(distinct record) from evidence e join finding f on f.id = e.finding where f.incident = i.id)
           + (select coalesce(sum(greatest(0, f.count - f.kept)), 0) from finding f where f.incident = i.id) as all
       from incident i where exists (select from finding f where f.incident = i.id) order by id`,
    )
  ).rows;

test("however evidence is kept, and findings are merged and split, what an incident says of it is a recount", async () => {
  const { rows: all } = await client.query<{ id: number; incident: number }>("select id, incident from finding");
  const step = fc.oneof(
    fc.record({
      does: fc.constant("keep" as const),
      findings: fc.array(fc.nat(), { minLength: 1, maxLength: 3 }),
      records: fc.array(fc.integer({ min: 1, max: 40 }), { maxLength: 12 }),
    }),
    fc.record({ does: fc.constant("merge" as const), one: fc.nat(), other: fc.nat() }),
    fc.record({ does: fc.constant("split" as const), finding: fc.nat() }),
  );
  const lies = async (n: number) =>
    (
      await client.query<{ id: number; incident: number }>("select id, incident from finding where id = $1", [
        all[n % all.length]!.id,
      ])
    ).rows[0]!;
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 8 }), async (steps) => {
      for (const s of steps)
        if (s.does === "keep")
          await keep(
            s.findings.map((n) => ({
              finding: all[n % all.length]!.id,
              evidence: s.records.map((id) => ({ id: String(id), timeUs: T + id })),
            })),
          );
        else if (s.does === "merge") {
          const [a, b] = [(await lies(s.one)).incident, (await lies(s.other)).incident];
          if (a !== b) await transaction(client, () => mergeIncidents(client, a, b, "so", false));
        } else {
          const { id, incident } = await lies(s.finding);
          await transaction(client, () => splitIncident(client, incident, [id], { title: "t", severity: 3 }, true));
        }
      const now = await counted();
      expect(now.map((i) => [i.id, i.kept, Number(i.count)])).toEqual(now.map((i) => [i.id, i.records, Number(i.all)]));
    }),
    { seed: 11, numRuns: 25 },
  );
});

test("what a person merges while evidence is being kept waits for it, and the other way round", async () => {
  const [one, other] = [await finding("10.1.0.1"), await finding("10.1.0.3")];
  if (one.incident === other.incident)
    await transaction(client, () => splitIncident(client, one.incident, [one.id], { title: "t", severity: 3 }, true));
  const [from, to] = [(await finding("10.1.0.1")).incident, (await finding("10.1.0.3")).incident];
  const person = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await person.connect();
  const some = (ids: readonly number[]) => [
    { finding: one.id, evidence: ids.map((id) => ({ id: String(id), timeUs: T + id })) },
  ];
  try {
    await client.query("begin");
    await keepEvidence(client, some([501, 502]));
    const merging = transaction(person, () => mergeIncidents(person, from, to, "so", true));
    await new Promise((done) => setTimeout(done, 100));
    await client.query("commit");
    await merging;
    // a finding moves while the one who keeps waits for its incident
    await person.query("begin");
    await splitIncident(person, to, [one.id], { title: "t", severity: 3 }, true);
    const keeping = keep(some([503, 504, 505]));
    await new Promise((done) => setTimeout(done, 100));
    await person.query("commit");
    await keeping;
    const now = await counted();
    expect(now.map((i) => [i.id, i.kept, Number(i.count)])).toEqual(now.map((i) => [i.id, i.records, Number(i.all)]));
  } finally {
    await person.end();
  }
});
