import { type Episode, type EpisodeReport, Rule, type RuleInput } from "@halvik/core/detect";
import { newSender, SenderDirectory } from "@halvik/core/model/senders";
import type { HistoryCode } from "@halvik/core/respond/incidents";
import { NotifyRoute, notifiedChangeOf } from "@halvik/core/respond/notify";
import fc from "fast-check";
import pg from "pg";
import { connectionOf, transaction } from "../../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { planDeliveries } from "../notifications/plan-deliveries.js";
import { insertRoute } from "../notifications/repository.js";
import { EXPORTED, incidentDetail } from "./detail.js";
import { Findings, TOGETHER } from "./findings.js";
import { noteHeldBack } from "./grow-incident.js";
import { noteOutlasting } from "./outlast.js";
import { acknowledge, closeIncident, openOnce } from "./repository.js";

const MINUTE = 60e6;
const DAY = 1_440 * MINUTE;
const T0 = 1_790_000_000e6;

let instance: TestInstance;
let db: pg.Client;
beforeAll(async () => {
  instance = await startTestInstance();
  db = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await db.connect();
}, 240_000);
afterAll(async () => {
  await db?.end();
  await instance?.dispose();
});

const rule = (id: string, over: Partial<RuleInput>): Rule =>
  Rule.parse({
    kind: "count",
    id,
    name: id,
    filter: "app is x",
    key: ["user"],
    count: 1,
    windowSeconds: 600,
    severity: "warning",
    worse: [{ count: 20, severity: "critical" }],
    title: `${id} of {user}`,
    clear: { by: "quiet", seconds: 600 },
    ...over,
  } as RuleInput);
/** Rules whose findings only stop, whose findings something ends, and one that explains another. */
const RULES = new Map(
  [
    rule("stops", {}),
    rule("judged", { clear: { by: "hand" }, severity: "error" }),
    rule("ends", { clear: { by: "record", filter: "app is y" } }),
    rule("uplink", { clear: { by: "record", filter: "app is y" }, key: ["sender"], title: "{sender} is down" }),
    rule("behind", { key: ["sender"], explainedBy: ["uplink"], title: "{sender} is silent" }),
  ].map((r) => [r.id, r]),
);
const DIRECTORY = new SenderDirectory([
  newSender(1, "core"),
  newSender(2, "far", { reachedThrough: 1 }),
  newSender(3, "apart"),
]);

/** One stretch of a rule and key: how it grows, minute by minute, and whether it ends. */
interface Stretch {
  readonly rule: string;
  readonly who: number;
  readonly at: number;
  readonly grows: readonly { readonly after: number; readonly count: number; readonly src: number }[];
  readonly ends: boolean;
}
const stretch: fc.Arbitrary<Stretch> = fc.record({
  rule: fc.constantFrom(...RULES.keys()),
  who: fc.integer({ min: 1, max: 3 }),
  at: fc.oneof(fc.integer({ min: 0, max: 120 }), fc.integer({ min: 0, max: 4_000 })),
  grows: fc.array(
    fc.record({
      after: fc.oneof(fc.integer({ min: 1, max: 20 }), fc.integer({ min: 1, max: 700 })),
      count: fc.integer({ min: 1, max: 15 }),
      src: fc.integer({ min: 1, max: 9 }),
    }),
    { maxLength: 4 },
  ),
  ends: fc.boolean(),
});
type Deed = { readonly at: number; readonly nth: number; readonly what: "acknowledge" | "fixed" | "expected" };
const deed: fc.Arbitrary<Deed> = fc.record({
  at: fc.integer({ min: 0, max: 5_000 }),
  nth: fc.nat(20),
  what: fc.constantFrom("acknowledge", "fixed", "expected"),
});

/** What the engine would report of a stretch, in the order of time; what nothing ends goes on for a day at most, as in the engine. */
function reportsOf({ rule: id, who, at, grows, ends }: Stretch): { atUs: number; report: EpisodeReport }[] {
  const ofSender = id === "uplink" || id === "behind";
  const key = ofSender ? String(who) : `u${who}`;
  const own = [ofSender ? `sender\u0001${who}` : `user\u0001u${who}`];
  const firstUs = T0 + at * MINUTE;
  let e: Episode = {
    firstUs,
    lastUs: firstUs,
    raisedUs: firstUs,
    count: 1,
    first: [],
    latest: [],
    entities: own,
    worse: 0,
    facts: [],
    clearedUs: null,
    clearedBy: null,
  };
  const out = [e];
  for (const { after, count, src } of grows) {
    const lastUs = e.lastUs + after * MINUTE;
    if (lastUs - firstUs > DAY) break;
    e = { ...e, lastUs, count: e.count + count, entities: [...new Set([...e.entities, `src\u0001198.51.100.${src}`])] };
    out.push(e);
  }
  const proved = RULES.get(id)!.clear.by === "record";
  if (ends || !proved) {
    const clearedUs = e.lastUs + 10 * MINUTE;
    out.push({ ...e, clearedUs, clearedBy: proved ? "record" : "quiet" });
  }
  return out.map((episode) => ({
    atUs: episode.clearedUs ?? episode.lastUs,
    report: { ruleId: id, lane: "live", key, episode, final: false },
  }));
}

/** Stretches of one rule and key do not overlap: the engine folds what does into one. */
const apart = (all: readonly Stretch[]): Stretch[] => {
  const until = new Map<string, number>();
  return [...all]
    .sort((a, b) => a.at - b.at)
    .filter((s) => {
      const key = `${s.rule} ${s.who}`;
      const reports = reportsOf(s);
      const { episode } = reports[reports.length - 1]!.report;
      if ((until.get(key) ?? 0) >= T0 + s.at * MINUTE) return false;
      until.set(key, episode.clearedUs === null ? Number.POSITIVE_INFINITY : episode.clearedUs + 11 * MINUTE);
      return true;
    });
};

test("whatever happens, every finding is told, and one incident is one happening", async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(stretch, { minLength: 2, maxLength: 14 }),
      fc.array(deed, { maxLength: 6 }),
      async (all, deeds) => {
        await db.query(
          "truncate incident, incident_event, finding, delivery, notify_route, engine_close restart identity cascade",
        );
        await insertRoute(
          db,
          NotifyRoute.parse({ name: "all", to: ["duty@orvane.example"], severity: "debug" }),
          "me",
          0,
        );
        // one without findings, as when the engine has stopped: nobody's evidence
        const alone = await openOnce(db, { title: "t", severity: 2, ruleId: "own", key: "", firstUs: T0 }, T0);
        const findings = await Findings.load(db, "UTC", T0);
        const closedByHand = new Set<number>();
        const steps = [
          ...apart(all)
            .flatMap(reportsOf)
            .map((r) => ({ ...r, deed: null })),
          ...deeds.map((d) => ({ atUs: T0 + d.at * MINUTE, report: null, deed: d })),
        ].sort((a, b) => a.atUs - b.atUs);
        for (const { atUs, report, deed: d } of steps) {
          if (report !== null) {
            await transaction(db, () => findings.apply(db, [report], RULES, DIRECTORY, atUs, TOGETHER));
            // what a person had closed meanwhile, the engine has ended too
          } else if (d !== null) {
            const { rows } = await db.query<{ id: number }>(
              "select id from incident where state <> 'closed' and merged_into is null order by id",
            );
            const id = rows[d.nth % Math.max(1, rows.length)]?.id;
            if (id === undefined) continue;
            if (d.what === "acknowledge") await acknowledge(db, id, "me", atUs);
            else {
              await closeIncident(db, id, d.what, atUs);
              closedByHand.add(id);
            }
          }
          await noteOutlasting(db, atUs);
          await noteHeldBack(db, DIRECTORY, atUs);
          while (await planDeliveries(db, DIRECTORY, atUs)) {}
          await db.query("update delivery set state = 'sent', ended_us = $1 where state = 'waiting' and due_us <= $1", [
            atUs,
          ]);
        }
        const { rows: told } = await db.query<{
          finding: number;
          incident: number;
          code: HistoryCode;
          at_us: number;
          folded: boolean;
          speaks: boolean;
        }>(
          `select f.id as finding, e.incident, e.code, e.at_us, i.parent is not null as folded,
             exists (select from delivery d where d.incident = e.incident and d.due_us >= e.at_us) as speaks
           from finding f left join incident_event e on e.finding = f.id left join incident i on i.id = e.incident`,
        );
        for (const finding of new Set(told.map((t) => t.finding))) {
          const lines = told.filter(
            (t) => t.finding === finding && t.code !== null && notifiedChangeOf(t.code) !== null,
          );
          // what is explained is told with what explains it
          expect({ finding, lines: lines.some((l) => l.speaks) }).toEqual({ finding, lines: true });
        }
        const { rows: spans } = await db.query<{ id: number; span: number }>(
          `select i.id, max(f.last_us) - min(f.first_us) as span from incident i join finding f on f.incident = i.id
           where not exists (select from finding o where o.incident = i.id and o.rule_id in ('ends', 'uplink')) group by i.id`,
        );
        for (const { id, span } of spans) expect({ id, within: span <= DAY }).toEqual({ id, within: true });
        // what is over was said to be over, after all that began or went on in it
        const { rows: silent } = await db.query(
          `select i.id from incident i where i.state <> 'open' and i.merged_into is null and not exists (
             select from incident_event e where e.incident = i.id and e.code in ('cleared'))`,
        );
        expect(silent.filter((s) => !closedByHand.has(s.id))).toEqual([]);
        expect((await db.query("select merged_into from incident where id = $1", [alone])).rows).toEqual([
          { merged_into: null },
        ]);
        // counts, times and entities of an incident are those of its own findings
        const { rows: wrong } = await db.query(
          `select i.id from incident i join (select incident, sum(count)::bigint as n, min(first_us) as a, max(last_us) as b from finding group by incident) f on f.incident = i.id
           where i.count <> f.n or i.first_us <> f.a or i.last_us <> f.b`,
        );
        expect(wrong).toEqual([]);
      },
    ),
    { seed: 14, numRuns: 30 },
  );
}, 240_000);

test("what goes on beyond a day of its incident has one of its own; what is left is told to be over", async () => {
  await db.query(
    "truncate incident, incident_event, finding, delivery, notify_route, engine_close restart identity cascade",
  );
  const findings = await Findings.load(db, "UTC", T0);
  const H = 60 * MINUTE;
  const episode = (from: number, to: number, cleared: boolean): Episode => ({
    firstUs: T0 + from * H,
    lastUs: T0 + to * H,
    raisedUs: T0 + from * H,
    count: to - from + 1,
    first: [],
    latest: [],
    entities: ["user\u0001u1"],
    worse: 0,
    facts: [],
    clearedUs: cleared ? T0 + to * H + 10 * MINUTE : null,
    clearedBy: cleared ? "quiet" : null,
  });
  const report = (ruleId: string, e: Episode) =>
    transaction(db, () =>
      findings.apply(
        db,
        [{ ruleId, lane: "live", key: "u1", episode: e, final: false }],
        RULES,
        DIRECTORY,
        e.clearedUs ?? e.lastUs,
        TOGETHER,
      ),
    );
  await report("stops", episode(0, 20, false));
  await report("judged", episode(20, 21, false));
  await report("stops", episode(0, 20, true));
  const state = async () =>
    (
      await db.query(
        "select i.state, i.count, array(select code from incident_event e where e.incident = i.id and code in ('raised', 'joined', 'cleared', 'goes-on') order by e.id) as told from incident i order by id",
      )
    ).rows;
  expect(await state()).toEqual([{ state: "open", count: 23, told: ["raised", "joined"] }]);
  await report("judged", episode(20, 26, false));
  expect(await state()).toEqual([
    { state: "cleared", count: 21, told: ["raised", "joined", "cleared", "goes-on"] },
    { state: "open", count: 7, told: ["raised"] },
  ]);
});

test("what grows for long is written every ten seconds, by whatever step comes then; that it is worse is not held back", async () => {
  await db.query(
    "truncate incident, incident_event, finding, delivery, notify_route, engine_close restart identity cascade",
  );
  const findings = await Findings.load(db, "UTC", T0);
  const SECOND = 1e6;
  const step = (atUs: number, count: number | null) =>
    transaction(db, () =>
      findings.apply(
        db,
        count === null
          ? []
          : [
              {
                ruleId: "stops",
                lane: "live",
                key: "u1",
                episode: {
                  firstUs: T0,
                  lastUs: atUs,
                  raisedUs: T0,
                  count,
                  first: [],
                  latest: [],
                  entities: ["user\u0001u1"],
                  worse: 0,
                  facts: [],
                  clearedUs: null,
                  clearedBy: null,
                },
                final: false,
              },
            ],
        RULES,
        DIRECTORY,
        atUs,
        TOGETHER,
      ),
    );
  const written = async () =>
    (await db.query("select i.severity, f.count from finding f join incident i on i.id = f.incident")).rows[0];
  const at = T0 + 5 * MINUTE;
  await step(T0, 1);
  await step(at, 5);
  expect(await written()).toEqual({ severity: 4, count: 5 });
  await step(at + 3 * SECOND, 6);
  await step(at + 9 * SECOND, null);
  expect(await written()).toEqual({ severity: 4, count: 5 });
  await step(at + 10 * SECOND, null);
  expect(await written()).toEqual({ severity: 4, count: 6 });
  await step(at + 12 * SECOND, 20);
  expect(await written()).toEqual({ severity: 2, count: 20 });
});

test("of a long history a page shows the latest and says how much more there is; an export has all of it", async () => {
  await db.query("truncate incident, incident_event, finding restart identity cascade");
  await db.query(
    "insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities) values ('t', 3, 'open', 'stops', 1, 'k', $1, $1, $1, 0, '{}')",
    [T0],
  );
  await db.query(
    "insert into incident_event (incident, at_us, who, code, detail) select 1, $1::bigint + n, 'a', 'note', 'line ' || n from generate_series(1, 1200) n",
    [T0],
  );
  const read = async (most?: typeof EXPORTED) => {
    const detail = (await incidentDetail(
      db,
      1,
      DIRECTORY,
      () => {
        throw new Error("it has no evidence");
      },
      most,
    ))!;
    return [detail.history.length, detail.history[0]?.detail, detail.moreHistory];
  };
  expect(await read()).toEqual([500, "line 1200", 700]);
  expect(await read(EXPORTED)).toEqual([1_200, "line 1200", 0]);
});
