import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { CLOSE_REASONS, HISTORY_CODES } from "@halvik/core/respond/incidents";
import type pg from "pg";
import { connect, connectionOf } from "../kernel/db/pool.js";
import { POSTGRES_BIN } from "../start/cluster.js";
import { setUpDatabase } from "../start/setup-database.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";
import { FLOW_COLUMNS } from "./flow-columns.js";
import { migrate } from "./migrate.js";
import { RECORD_COLUMNS } from "./record-columns.js";
import { countRecords } from "./segments.js";

/** A database as each schema left it, with records of all kinds, findings and an incident people worked on (docs/storage.md). */
const FIXTURES = join(import.meta.dirname, "../testing/fixtures");

let instance: TestInstance;
let admin: pg.Client;
beforeAll(async () => {
  instance = await startTestInstance();
  admin = await connect(connectionOf(instance.config, instance.secrets, "owner"));
});
afterAll(async () => {
  await admin?.end();
  await instance?.dispose();
});

/** An empty database of that name, and how to reach it. */
async function database(name: string) {
  await admin.query(`create database ${name}`);
  const config = { ...instance.config, HALVIK_DB_NAME: name };
  return { config, connection: connectionOf(config, instance.secrets, "owner") };
}

function restore(name: string, fixture: string): void {
  const { config, secrets } = instance;
  const { status, stderr } = spawnSync(
    join(POSTGRES_BIN, "psql"),
    [
      `--host=${config.HALVIK_DB_HOST}`,
      `--port=${config.HALVIK_DB_PORT}`,
      "--username=halvik",
      "--set=ON_ERROR_STOP=1",
      "--quiet",
      name,
    ],
    {
      input: gunzipSync(readFileSync(join(FIXTURES, fixture))),
      env: { ...process.env, PGPASSWORD: secrets.dbOwnerPassword },
      encoding: "utf8",
    },
  );
  if (status !== 0) throw new Error(stderr);
}

test("segments are made with the columns that the store writes and reads", async () => {
  for (const [template, columns] of [
    ["template", RECORD_COLUMNS],
    ["flow_template", FLOW_COLUMNS],
  ] as const) {
    const { rows } = await admin.query<{ name: string; type: string; needed: boolean; fallback: string | null }>(
      `select attname as name, format_type(atttypid, atttypmod) as type, attnotnull as needed, pg_get_expr(adbin, adrelid) as fallback
       from pg_attribute left join pg_attrdef on adrelid = attrelid and adnum = attnum
       where attrelid = $1::regclass and attnum > 0 and not attisdropped order by attnum`,
      [`segments.${template}`],
    );
    const made = rows.map((r) => [r.name, `${r.type}${r.needed ? " not null" : ""}`]);
    expect(made.sort()).toEqual(columns.map((c) => [c.name, c.sql.replace(/ default .*$/, "")]).sort());
  }
});

test("docs/schema.md names every table, and no other", async () => {
  const { rows } = await admin.query<{ name: string }>(
    "select table_name as name from information_schema.tables where table_schema = 'public' order by 1",
  );
  const cells = readFileSync("docs/schema.md", "utf8").match(/^\| `.*? \|/gm) ?? [];
  const named = cells.flatMap((cell) => [...cell.matchAll(/`(\w+)`/g)].map((m) => m[1]));
  expect(named.sort()).toEqual(rows.map((r) => r.name).sort());
});

test("a database with the first schema and data is brought to the newest, and all of it is there", async () => {
  const { config, connection } = await database("first");
  restore("first", "schema-001.sql.gz");
  const before = await connect(connection);
  await before.query(
    `insert into incident_event (incident, at_us, who, what, detail, noted)
     select 1, 1, 'a', what, '', true from unnest(array['closed as expected', 'took back', 'task open again', 'new since seen']) what`,
  );
  await before.end();
  await setUpDatabase(config, instance.secrets);
  expect(await migrate(connection)).toEqual([]);
  const client = await connect(connection);
  expect(await countRecords(client)).toBe(7_190);
  const counted = await client.query(
    `select (select count(*)::int from finding) as findings, (select count(*)::int from incident_event where code = 'note') as notes,
       (select owner from incident where id = 1) as owner, (select count(*)::int from sender) as senders`,
  );
  expect(counted.rows[0]).toMatchObject({ findings: 10, notes: 1, owner: "owner", senders: 62 });
  // what was read out of words is a code
  const codes = await client.query<{ code: string; reason: string | null }>(
    "select distinct code, reason from incident_event",
  );
  for (const { code, reason } of codes.rows) {
    expect(HISTORY_CODES).toContain(code);
    expect([null, ...CLOSE_REASONS]).toContain(reason);
  }
  expect(codes.rows).toContainEqual({ code: "closed", reason: "expected" });
  expect(codes.rows).toContainEqual({ code: "undone", reason: null });
  await client.end();
  // read as the web role reads
  const web = await connect(connectionOf(config, instance.secrets, "web"));
  const { rows } = await web.query("select count(*)::int as n from segments.s_0004_import_000001");
  expect(rows[0].n).toBe(2_610);
  await web.end();
});

test("how many records are kept of an incident is counted from those that are", async () => {
  const { config, connection } = await database("kept");
  restore("kept", "schema-001.sql.gz");
  await setUpDatabase(config, instance.secrets);
  const client = await connect(connection);
  await client.query("alter table incident drop column kept");
  await client.query(
    "alter table engine_state drop column last_us, drop column next_us, drop column near, drop column open, drop column learning",
  );
  await client.query("alter table incident drop column late_untold, drop column late_told_us");
  await client.query("delete from migration where name >= '025'");
  const { rows } = await client.query<{ id: number; incident: number }>(
    "select id, incident from finding where incident = (select incident from finding where incident is not null group by 1 order by count(*) desc limit 1)",
  );
  expect(rows.length).toBeGreaterThan(1);
  // two findings hold one record both, and one each of their own
  await client.query(
    "insert into evidence (finding, record, time_us) values ($1, 1, 1), ($1, 2, 2), ($2, 2, 2), ($2, 3, 3)",
    [rows[0]!.id, rows[1]!.id],
  );
  expect((await migrate(connection))[0]).toBe("025-kept-of-incident");
  const kept = await client.query("select id, kept from incident where kept > 0");
  expect(kept.rows).toEqual([{ id: rows[0]!.incident, kept: 3 }]);
  await client.end();
});

describe("a database of before the first release", () => {
  const names = (count: number) => Array.from({ length: count }, (_, i) => `${String(i + 1).padStart(3, "0")}-step`);

  test("that had all its steps goes on from here", async () => {
    const { connection } = await database("before_all");
    restore("before_all", "schema-001.sql.gz");
    const client = await connect(connection);
    await client.query("delete from migration");
    const all = ["001-records", ...names(24).slice(1), "025-names-alike"];
    await client.query("insert into migration (name) select unnest($1::text[])", [all]);
    expect(await migrate(connection)).toEqual([
      "002-nodes-and-codes",
      "003-one-happening",
      "004-evidence-kept",
      "005-telling",
      "006-texts-and-keys",
      "007-lists",
      "008-traffic",
      "009-bindings",
      "010-packets-and-repetitions",
      "011-packet-endpoints",
      "012-formats-and-forwards",
      "013-reports",
      "014-boards",
      "015-shapes",
      "016-papers",
      "017-incident-techniques",
      "018-sender-hours",
      "019-traffic-by-day",
      "020-formats-over-history",
      "021-changed-when-changed",
      "022-counters-by-time",
      "023-states-as-written",
      "024-what-senders-counted",
      "025-kept-of-incident",
      "026-vacuum-when-sealed",
      "027-states-in-brief",
      "028-late-in-brief",
    ]);
    expect((await client.query("select name from migration order by name")).rows).toEqual([
      { name: "001-schema" },
      { name: "002-nodes-and-codes" },
      { name: "003-one-happening" },
      { name: "004-evidence-kept" },
      { name: "005-telling" },
      { name: "006-texts-and-keys" },
      { name: "007-lists" },
      { name: "008-traffic" },
      { name: "009-bindings" },
      { name: "010-packets-and-repetitions" },
      { name: "011-packet-endpoints" },
      { name: "012-formats-and-forwards" },
      { name: "013-reports" },
      { name: "014-boards" },
      { name: "015-shapes" },
      { name: "016-papers" },
      { name: "017-incident-techniques" },
      { name: "018-sender-hours" },
      { name: "019-traffic-by-day" },
      { name: "020-formats-over-history" },
      { name: "021-changed-when-changed" },
      { name: "022-counters-by-time" },
      { name: "023-states-as-written" },
      { name: "024-what-senders-counted" },
      { name: "025-kept-of-incident" },
      { name: "026-vacuum-when-sealed" },
      { name: "027-states-in-brief" },
      { name: "028-late-in-brief" },
    ]);
    await client.end();
  });

  test("that had some of them is refused, with what to do", async () => {
    const { connection } = await database("before_some");
    const client = await connect(connection);
    await client.query("create table migration (name text primary key, run_at timestamptz not null default now())");
    await client.query("insert into migration (name) select unnest($1::text[])", [
      ["001-records", ...names(20).slice(1)],
    ]);
    await expect(migrate(connection)).rejects.toThrow(
      /stands at its step 20 of 25; start it once with the last Halvik/,
    );
    expect((await client.query("select count(*)::int as n from migration")).rows).toEqual([{ n: 20 }]);
    await client.end();
  });
});
