import type { BulkAct } from "@halvik/contract/incidents";
import { CLOSE_REASONS } from "@halvik/core/respond/incidents";
import fc from "fast-check";
import pg from "pg";
import { connectionOf } from "../../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { ENGINE_STOPPED } from "../health/engine-stopped.js";
import { actOnMany, undoAct } from "./bulk-acts.js";
import {
  acknowledge,
  assignIncident,
  closeIncident,
  mergeIncidents,
  openOnce,
  shelveIncident,
  splitIncident,
} from "./repository.js";

/** What people do to incidents can be taken back, and what is told of one always follows from its findings. */
let instance: TestInstance;
let db: pg.Client;
beforeAll(async () => {
  instance = await startTestInstance();
  db = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await db.connect();
});
afterAll(async () => {
  await db?.end();
  await instance?.dispose();
});

const S = 1_000_000;
interface Made {
  readonly count: number;
  readonly at: number;
  readonly severity: number;
  readonly user: string;
  readonly cleared: boolean;
}

/** Incidents with one finding each. @returns ids of both, in order */
async function make(all: readonly Made[]): Promise<{ incidents: number[]; findings: number[] }> {
  await db.query("truncate incident, finding, bulk_act, engine_close restart identity cascade");
  const incidents: number[] = [];
  const findings: number[] = [];
  for (const [i, m] of all.entries()) {
    const from = m.at * S;
    const to = from + m.count * S;
    const cleared = m.cleared ? to + 60 * S : null;
    const entities = [`user\u0001${m.user}`, "src\u0001203.0.113.9"];
    const incident = await db.query<{ id: number }>(
      `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, ended_us, count, entities)
       values ('t', $1, $2, 'refused-logons', 1, $3, $4, $5, $5, $6, $7, $8) returning id`,
      [m.severity, m.cleared ? "cleared" : "open", `k${i}`, from, to, cleared, m.count, entities],
    );
    incidents.push(incident.rows[0]!.id);
    const finding = await db.query<{ id: number }>(
      `insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities, cleared_us)
       values ($1, 'refused-logons', 'live', $2, $3, $4, $4, $5, '[]', '[]', $6, $7) returning id`,
      [incident.rows[0]!.id, `k${i}`, from, to, m.count, entities, cleared],
    );
    findings.push(finding.rows[0]!.id);
  }
  return { incidents, findings };
}

interface Shown {
  id: number;
  state: string;
  merged_into: number | null;
  ended_us: number | null;
  count: number;
  first_us: number;
  last_us: number;
  entities: string[];
}
const shown = async (): Promise<Shown[]> =>
  (
    await db.query<Shown>(
      "select id, state, merged_into, ended_us, count, first_us, last_us, entities from incident order by id",
    )
  ).rows;

const made: fc.Arbitrary<Made> = fc.record({
  count: fc.integer({ min: 1, max: 50 }),
  at: fc.integer({ min: 1, max: 1_000 }),
  severity: fc.integer({ min: 0, max: 7 }),
  user: fc.constantFrom("k.lind", "moe", "root"),
  cleared: fc.boolean(),
});

describe("merged and split, in any order", () => {
  type Step = { readonly do: "merge" | "split"; readonly a: number; readonly b: number };
  const steps: fc.Arbitrary<Step[]> = fc.array(
    fc.record({ do: fc.constantFrom("merge" as const, "split" as const), a: fc.nat(20), b: fc.nat(20) }),
    { minLength: 1, maxLength: 8 },
  );

  test("each finding is in one incident that stands; an incident says what its findings say", async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(made, { minLength: 2, maxLength: 5 }), steps, async (all, acts) => {
        await make(all);
        for (const act of acts) {
          const standing = (await shown()).filter((i) => i.merged_into === null);
          const a = standing[act.a % standing.length]!;
          const b = standing[act.b % standing.length]!;
          if (act.do === "merge" && a.id !== b.id) await mergeIncidents(db, a.id, b.id, "merged", true);
          if (act.do === "split") {
            const own = await db.query<{ id: number }>("select id from finding where incident = $1 order by id", [
              a.id,
            ]);
            const picked = own.rows.filter((_, n) => (act.b >> n) & 1).map((r) => r.id);
            if (picked.length > 0) await splitIncident(db, a.id, picked, { title: "split", severity: 3 }, true);
          }
        }
        const { rows } = await db.query<{
          incident: number;
          count: number;
          first_us: number;
          last_us: number;
          lasts: boolean;
          ended_us: number | null;
        }>(
          `select incident, sum(count)::int as count, min(first_us) as first_us, max(last_us) as last_us, bool_or(cleared_us is null) as lasts,
             case when bool_or(cleared_us is null) then null else max(cleared_us) end as ended_us
           from finding group by incident order by incident`,
        );
        const standing = (await shown()).filter((i) => i.merged_into === null);
        expect(standing.map((i) => i.id)).toEqual(rows.map((r) => r.incident));
        for (const [n, { incident: _, lasts, ...of }] of rows.entries())
          expect({ ...standing[n] }).toMatchObject({ ...of, state: lasts ? "open" : "cleared" });
      }),
      { seed: 41, numRuns: 60 },
    );
  });

  test("split off and merged back, it is as it was", async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(made, { minLength: 2, maxLength: 4 }), async (all) => {
        const { incidents, findings } = await make(all);
        const [first, ...others] = incidents as [number, ...number[]];
        for (const other of others) await mergeIncidents(db, other, first, "merged", true);
        const [before] = await shown();
        const own = await splitIncident(db, first, [findings[1]!], { title: "t", severity: 3 }, true);
        await mergeIncidents(db, own!, first, "merged", true);
        const [after] = await shown();
        const sorted = (i: Shown) => ({ ...i, entities: [...i.entities].sort() });
        expect(sorted(after!)).toEqual(sorted(before!));
      }),
      { seed: 42, numRuns: 25 },
    );
  });
});

test("one that lasts without a finding of its own, as that the engine has stopped, goes on when something over is merged into it", async () => {
  const over: Made = { count: 3, at: 10, severity: 3, user: "moe", cleared: true };
  const { incidents } = await make([over]);
  const stopped = await openOnce(
    db,
    { title: "The engine has stopped", severity: 2, ruleId: ENGINE_STOPPED, key: "engine", firstUs: 5 * S },
    20 * S,
  );
  await mergeIncidents(db, incidents[0]!, stopped!, "merged", true);
  expect((await shown()).find((i) => i.id === stopped)).toMatchObject({ state: "open", ended_us: null, count: 3 });
});

describe("acts on several, taken back", () => {
  const act: fc.Arbitrary<BulkAct["act"]> = fc.oneof(
    fc.constant({ what: "acknowledge" as const, note: "" }),
    fc.record({ what: fc.constant("assign" as const), to: fc.constantFrom("k.lind", "moe", null) }),
    fc.record({
      what: fc.constant("shelve" as const),
      until: fc.constant("2999-01-01T00:00:00Z"),
      why: fc.constant("dry dock"),
    }),
    fc.record({
      what: fc.constant("close" as const),
      reason: fc.constantFrom(...CLOSE_REASONS),
      note: fc.constant(""),
    }),
  );
  const UNTIL = 32_000_000_000_000_000;
  /** What another person may do to one of them meanwhile. */
  const meddling = fc.option(
    fc.record({ at: fc.nat(5), what: fc.constantFrom("acknowledge", "assign", "shelve", "close") }),
  );
  const columns = async () =>
    (
      await db.query(
        "select id, acknowledged_by, acknowledged_us, owner, shelved_until_us, shelved_by, shelved_why, state, close_reason, ended_us from incident order by id",
      )
    ).rows;

  async function meddle(id: number, what: string): Promise<void> {
    if (what === "acknowledge") await acknowledge(db, id, "other", 900 * S);
    else if (what === "assign") await assignIncident(db, id, "other");
    else if (what === "shelve") await shelveIncident(db, id, UNTIL - 1, "other", "their reason");
    else await closeIncident(db, id, "fixed", 901 * S);
  }

  test("all is as it was, but for what somebody else has done since; a second time there is nothing to take back", async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(made, { minLength: 1, maxLength: 5 }), act, meddling, async (all, what, other) => {
        const { incidents } = await make(all);
        const before = await columns();
        const { changed, undo } = await actOnMany(db, { ids: incidents, act: what }, UNTIL, "me", 500 * S);
        expect(changed).toEqual(incidents);
        const meddled = other === null ? null : incidents[other.at % incidents.length]!;
        if (meddled !== null) await meddle(meddled, other!.what);
        const between = await columns();
        const undone = await undoAct(db, undo!);
        const after = await columns();
        for (const [i, id] of incidents.entries()) {
          if (id !== meddled) expect(after[i]).toEqual(before[i]);
          // what the other did stands, whatever is taken back of ours
          else if (undone!.result.refused.some((r) => r.id === id)) expect(after[i]).toEqual(between[i]);
        }
        expect([...undone!.result.changed, ...undone!.result.refused.map((r) => r.id)].sort()).toEqual(incidents);
        expect(await undoAct(db, undo!)).toBeNull();
      }),
      { seed: 43, numRuns: 60 },
    );
  });
});
