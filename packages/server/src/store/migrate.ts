import pg from "pg";
import { up as schema } from "./migrations/001-schema.js";
import { up as nodesAndCodes } from "./migrations/002-nodes-and-codes.js";
import { up as oneHappening } from "./migrations/003-one-happening.js";
import { up as evidenceKept } from "./migrations/004-evidence-kept.js";
import { up as telling } from "./migrations/005-telling.js";
import { up as textsAndKeys } from "./migrations/006-texts-and-keys.js";
import { up as lists } from "./migrations/007-lists.js";
import { up as traffic } from "./migrations/008-traffic.js";
import { up as bindings } from "./migrations/009-bindings.js";
import { up as packetsAndRepetitions } from "./migrations/010-packets-and-repetitions.js";
import { up as packetEndpoints } from "./migrations/011-packet-endpoints.js";
import { up as formatsAndForwards } from "./migrations/012-formats-and-forwards.js";
import { up as reports } from "./migrations/013-reports.js";
import { up as boards } from "./migrations/014-boards.js";
import { up as shapes } from "./migrations/015-shapes.js";
import { up as papers } from "./migrations/016-papers.js";
import { up as incidentTechniques } from "./migrations/017-incident-techniques.js";
import { up as senderHours } from "./migrations/018-sender-hours.js";
import { up as trafficByDay } from "./migrations/019-traffic-by-day.js";
import { up as formatsOverHistory } from "./migrations/020-formats-over-history.js";
import { up as changedWhenChanged } from "./migrations/021-changed-when-changed.js";
import { up as countersByTime } from "./migrations/022-counters-by-time.js";
import { up as statesAsWritten } from "./migrations/023-states-as-written.js";
import { up as whatSendersCounted } from "./migrations/024-what-senders-counted.js";
import { up as keptOfIncident } from "./migrations/025-kept-of-incident.js";
import { up as vacuumWhenSealed } from "./migrations/026-vacuum-when-sealed.js";
import { up as statesInBrief } from "./migrations/027-states-in-brief.js";
import { up as lateInBrief } from "./migrations/028-late-in-brief.js";

/** Numbered and append-only: a migration that has run anywhere is never changed, and imports nothing that may. */
const MIGRATIONS = [
  { name: "001-schema", up: schema },
  { name: "002-nodes-and-codes", up: nodesAndCodes },
  { name: "003-one-happening", up: oneHappening },
  { name: "004-evidence-kept", up: evidenceKept },
  { name: "005-telling", up: telling },
  { name: "006-texts-and-keys", up: textsAndKeys },
  { name: "007-lists", up: lists },
  { name: "008-traffic", up: traffic },
  { name: "009-bindings", up: bindings },
  { name: "010-packets-and-repetitions", up: packetsAndRepetitions },
  { name: "011-packet-endpoints", up: packetEndpoints },
  { name: "012-formats-and-forwards", up: formatsAndForwards },
  { name: "013-reports", up: reports },
  { name: "014-boards", up: boards },
  { name: "015-shapes", up: shapes },
  { name: "016-papers", up: papers },
  { name: "017-incident-techniques", up: incidentTechniques },
  { name: "018-sender-hours", up: senderHours },
  { name: "019-traffic-by-day", up: trafficByDay },
  { name: "020-formats-over-history", up: formatsOverHistory },
  { name: "021-changed-when-changed", up: changedWhenChanged },
  { name: "022-counters-by-time", up: countersByTime },
  { name: "023-states-as-written", up: statesAsWritten },
  { name: "024-what-senders-counted", up: whatSendersCounted },
  { name: "025-kept-of-incident", up: keptOfIncident },
  { name: "026-vacuum-when-sealed", up: vacuumWhenSealed },
  { name: "027-states-in-brief", up: statesInBrief },
  { name: "028-late-in-brief", up: lateInBrief },
] as const;

/** What `001-schema` stands for: a database in which all of these have run has that schema. */
const BEFORE = { first: "001-records", last: "025-names-alike", count: 25 };

const LOCK = 4_711_001;

/** Brings the database to the newest schema, one process at a time; each migration is one transaction. */
export async function migrate(connection: pg.ClientConfig): Promise<readonly string[]> {
  const client = new pg.Client(connection);
  await client.connect();
  try {
    await client.query("select pg_advisory_lock($1)", [LOCK]);
    await client.query(
      "create table if not exists migration (name text primary key, run_at timestamptz not null default now())",
    );
    await takeOver(client);
    const { Umzug } = await import("./umzug.js");
    const umzug = new Umzug({
      migrations: MIGRATIONS.map(({ name, up }) => ({
        name,
        up: async () => {
          await client.query("begin");
          try {
            await client.query(up);
            await client.query("insert into migration (name) values ($1)", [name]);
            await client.query("commit");
          } catch (e) {
            await client.query("rollback");
            throw new Error(`migration ${name}: ${e instanceof Error ? e.message : String(e)}`, { cause: e });
          }
        },
      })),
      storage: {
        // the row is written in the migration's own transaction
        logMigration: async () => undefined,
        unlogMigration: async () => undefined,
        executed: async () =>
          (await client.query<{ name: string }>("select name from migration order by name")).rows.map((r) => r.name),
      },
      logger: undefined,
    });
    const executed = await umzug.executed();
    const unknown = executed.map((m) => m.name).find((name, i) => MIGRATIONS[i]?.name !== name);
    if (unknown !== undefined)
      throw new Error(
        `migration ${unknown} has run in this database but is not the one expected at its place; use the version of Halvik that made it`,
      );
    return (await umzug.up()).map((m) => m.name);
  } finally {
    await client.end();
  }
}

/** A database made by the migrations that `001-schema` replaces goes on from there; one that had not run all of them cannot. */
async function takeOver(client: pg.Client): Promise<void> {
  const { rows } = await client.query<{ name: string }>("select name from migration order by name");
  if (rows[0]?.name !== BEFORE.first) return;
  if (rows.length !== BEFORE.count || rows[rows.length - 1]!.name !== BEFORE.last)
    throw new Error(
      `this database was made by a Halvik of before the first release and stands at its step ${rows.length} of ${BEFORE.count}; start it once with the last Halvik that has those steps (the one before “001-schema”), then with this one`,
    );
  await client.query("begin");
  await client.query("delete from migration");
  await client.query("insert into migration (name) values ('001-schema')");
  await client.query("commit");
}
