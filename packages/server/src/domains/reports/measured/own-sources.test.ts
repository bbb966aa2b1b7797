import type { PartAnswer, ReportKept } from "@halvik/contract/reports";
import { OF_NUMBERS, OWN_SOURCE_NAMES, OwnMeasure, ownSource } from "@halvik/core/query/measure";
import fc from "fast-check";
import { arbitraryRecord } from "../../../../../core/src/testing/filters.js";
import { connectionOf, createPool, type Pool } from "../../../kernel/db/pool.js";
import { TestStore } from "../../../testing/test-store.js";
import { measureOwn, type TableMeasure } from "./own-sources-repository.js";

/** Measures of what Halvik writes down of itself, over a handful of entries that are counted by hand here. */
let store: TestStore;
/** With no more rights than who answers has. */
let web: Pool;
let rt: number;
const AT_US = Date.UTC(2023, 10, 16, 12) * 1_000;
const HOUR_US = 3_600e6;
const DAY = { fromUs: AT_US - 24 * HOUR_US, toUs: AT_US };

const MESSAGES = ["11111111-1111-4111-8111-111111111111", "22222222-2222-4222-8222-222222222222"];

beforeAll(async () => {
  store = await TestStore.start();
  rt = await store.addSender("rt-1", "Hestnes");
  await store.addSender("rt-2", "Lysgrund");
  const { client: db } = store;
  web = createPool(connectionOf(store.instance.config, store.instance.secrets, "web"), 3, 10_000);
  await db.query("insert into sender_silence (sender, since_us, told_us) values ($1, $2, $2)", [
    rt,
    AT_US - 2 * HOUR_US,
  ]);
  // hours before the end, minutes until it was acknowledged and ended, how it was closed
  const incidents: [number, number | null, number | null, string | null, number, string][] = [
    [1, 5, 20, "false", 2, "m.aune"],
    [2, 15, 60, "fixed", 2, "m.aune"],
    [3, 10, null, null, 4, "k.lind"],
    [30, 1, 2, "fixed", 2, "m.aune"],
  ];
  for (const [hours, acknowledged, ended, reason, severity, who] of incidents) {
    const raised = AT_US - hours * HOUR_US;
    await db.query(
      `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, ended_us, acknowledged_us, acknowledged_by, close_reason)
       values ('t', $1, $2, 'r-1', 1, $3, $4, $4, $4, 7, $5, $6, $7, $8)`,
      [
        severity,
        ended === null ? "open" : "closed",
        `k${hours}`,
        raised,
        ended === null ? null : raised + ended * 60e6,
        acknowledged === null ? null : raised + acknowledged * 60e6,
        who,
        reason,
      ],
    );
  }
  for (const [i, people] of [["a@x.example", "b@x.example"], ["b@x.example"]].entries())
    await db.query(
      `insert into delivery (route, route_name, incident, tells, state, made_us, due_us, ended_us, recipients, message)
       values (1, 'Duty', null, 'raise', 'sent', $1::bigint, $1::bigint, $1::bigint + 4000000, $2, $3)`,
      [AT_US - HOUR_US - i, people, MESSAGES[i]],
    );
  await db.query(
    "insert into audit (at_us, who, what) values ($1, 'm.aune', 'signed in'), ($1, 'm.aune', 'rule changed'), ($1, 'k.lind', 'signed in')",
    [AT_US - HOUR_US],
  );
}, 240_000);
afterAll(async () => {
  await web?.end();
  await store?.dispose();
}, 240_000);

const measured = (asked: object, steps: number[] | null = null, zone = "UTC") =>
  measureOwn(web, OwnMeasure.parse(asked) as TableMeasure, DAY, steps, zone, AT_US);
const rows = async (asked: object) =>
  Object.fromEntries((await measured(asked)).rows.map((r) => [r.keys.join(" "), r.value]));

const MINUTES = (n: number) => n * 60;
test.each<[string, object, Record<string, number | null>, number | null]>([
  ["incidents by severity", { source: "incidents", by: ["severity"] }, { critical: 2, warning: 1 }, 3],
  [
    "and by owner of the acknowledgement",
    { source: "incidents", by: ["severity", "acknowledged by"] },
    { "critical m.aune": 2, "warning k.lind": 1 },
    3,
  ],
  [
    "the median time to acknowledge",
    { source: "incidents", by: ["acknowledged by"], figure: { of: "p50", number: "time to acknowledge" } },
    { "m.aune": MINUTES(5), "k.lind": MINUTES(10) },
    MINUTES(10),
  ],
  [
    "time to end, of what ended",
    { source: "incidents", figure: { of: "average", number: "time to end" } },
    {},
    MINUTES(40),
  ],
  [
    "the share closed as false",
    {
      source: "incidents",
      only: [{ by: "closed as", is: [] }],
      figure: { of: "share", only: [{ by: "closed as", is: ["false", "expected"] }] },
    },
    {},
    50,
  ],
  ["only those of a severity", { source: "incidents", only: [{ by: "severity", is: ["warning", "debug"] }] }, {}, 1],
  // a message to two people is one, and counts under both
  ["messages by person", { source: "notifications", by: ["person"] }, { "a@x.example": 1, "b@x.example": 2 }, 2],
  ["messages to one", { source: "notifications", only: [{ by: "person", is: ["a@x.example"] }] }, {}, 1],
  [
    "time to deliver",
    { source: "notifications", by: ["way"], figure: { of: "p95", number: "time to deliver" } },
    { mail: 4 },
    4,
  ],
  ["acts by who", { source: "audit", by: ["who"] }, { "m.aune": 2, "k.lind": 1 }, 3],
  ["senders by site, as they are now", { source: "senders", by: ["site"] }, { Hestnes: 1, Lysgrund: 1 }, 2],
  [
    "silent for how long",
    {
      source: "senders",
      only: [{ by: "silent", is: ["yes"] }],
      by: ["sender"],
      figure: { of: "greatest", number: "silent for" },
    },
    { "rt-1": 7_200 },
    7_200,
  ],
  ["nothing there", { source: "findings", by: ["rule"] }, {}, 0],
])("%s", async (_what, asked, want, total) => {
  expect(await rows(asked)).toEqual(want);
  expect((await measured(asked)).total.value).toBe(total);
});

test("what is kept: as many octets as the tables of records take", async () => {
  const [record] = fc.sample(arbitraryRecord, { seed: 3, numRuns: 1 });
  await store.put(Array.from({ length: 50 }, (_, i) => ({ sender: rt, content: { ...record!, timeUs: AT_US - i } })));
  const { rows: sizes } = await store.client.query<{ bytes: number }>(
    "select sum(pg_total_relation_size(('segments.' || name)::regclass))::float8 as bytes from segment",
  );
  // what happened long before it came has tables of its own
  expect(await rows({ source: "store", by: ["kind"], figure: { of: "sum", number: "bytes" } })).toEqual({
    late: sizes[0]!.bytes,
  });
  expect(sizes[0]!.bytes).toBeGreaterThan(0);
  expect((await measured({ source: "store", figure: { of: "sum", number: "records" } })).total.value).toBe(50);
});

test("what was written as a name by whoever was refused is told to nobody", async () => {
  await store.client.query(
    "insert into audit (at_us, who, what) values ($1, 'my secret password', 'sign-in refused')",
    [DAY.fromUs + 1],
  );
  expect(await rows({ source: "audit", by: ["who", "what"], only: [{ by: "what", is: ["sign-in refused"] }] })).toEqual(
    {
      "nobody sign-in refused": 1,
    },
  );
  await store.client.query("delete from audit where what = 'sign-in refused'");
});

test("over steps, and by a clock of the zone", async () => {
  const steps = [DAY.fromUs, AT_US - 2.5 * HOUR_US, AT_US - 1.5 * HOUR_US, AT_US];
  const { total, rows: found } = await measured({ source: "incidents", by: ["state"] }, steps);
  expect(total.steps).toEqual([1, 1, 1]);
  expect(Object.fromEntries(found.map((r) => [r.keys[0], r.steps]))).toEqual({
    closed: [null, 1, 1],
    open: [1, null, null],
  });
  // 11:00 in UTC is 12:00 in Oslo, on a Thursday (day 3 from Monday)
  const byClock = await measured({ source: "audit", by: ["day of week", "hour of day"] }, null, "Europe/Oslo");
  expect(byClock.rows.map((r) => [...r.keys, r.value])).toEqual([["3", "12", 3]]);
});

// traffic is told by its sums
const OF_TABLES = OWN_SOURCE_NAMES.filter((name) => name !== "traffic");
test.each(OF_TABLES)("%s: every figure by every two of its groupings can be asked", async (source) => {
  const { by, numbers } = ownSource(source);
  const figures = [
    { of: "count" },
    { of: "share", only: [{ by: by[0]!, is: ["x"] }] },
    ...Object.keys(numbers).flatMap((number) => OF_NUMBERS.map((of) => ({ of, number }))),
  ];
  for (const [i, figure] of figures.entries()) {
    const pair = [by[i % by.length]!, by[(i * 3 + 1) % by.length]!];
    await expect(
      measured({ source, figure, by: pair[0] === pair[1] ? [pair[0]] : pair }, [DAY.fromUs, DAY.toUs]),
    ).resolves.toMatchObject({ total: { exact: true } });
  }
  for (const name of by)
    await measured({
      source,
      by: [name],
      only: [
        { by: name, is: ["x", "'; drop table audit; --"] },
        { by: name, is: [] },
      ],
    });
});

test("in a report: beside the period before, as a course, as hours of the week; a name there is none of is said", async () => {
  const part = async (of: object): Promise<PartAnswer["part"]> => {
    const answer = await store.api.post("/reports/part", {
      part: of,
      period: { last: 1, unit: "day" },
      at: "2023-11-17T00:00:00Z",
      zone: "UTC",
    });
    return (answer.body as PartAnswer).part;
  };
  const week = await part({ is: "hours of the week", title: "t", measure: { source: "audit" } });
  expect(week).toMatchObject({
    measured: {
      rows: [{ labels: ["Thursday", "11:00"], value: 3 }],
      says: "acts by day of week and hour of day",
      filter: "",
      source: "own",
    },
  });
  const course = await part({
    is: "course",
    title: "t",
    measure: { source: "incidents", unit: "troubles" },
    step: "6 hours",
  });
  expect(course).toMatchObject({ measured: { unit: "troubles", total: { steps: [null, 3, null, null], value: 3 } } });
  const now = await part({ is: "course", title: "t", compare: true, measure: { source: "senders" } });
  expect(now).toMatchObject({ measured: { steps: [], total: { value: 2 }, reading: "senders, as it is now" } });
  const report = {
    name: "r",
    period: { last: 1, unit: "day" },
    parts: [{ is: "table", title: "t", measure: { source: "audit", by: ["whom"] } }],
  };
  const refused = await store.api.post("/reports", report);
  expect([refused.status, (refused.body as { error: { message: string } }).error.message]).toEqual([
    400,
    expect.stringContaining("who, what"),
  ]);
  const kept = await store.api.post("/reports", {
    ...report,
    parts: [{ is: "table", title: "t", measure: { source: "audit", by: ["who"] } }],
  });
  const run = await store.api.post(`/reports/${(kept.body as ReportKept).id}/runs`, {
    at: "2023-11-17T00:00:00Z",
    zone: "UTC",
  });
  expect(run.status).toBe(200);
});
