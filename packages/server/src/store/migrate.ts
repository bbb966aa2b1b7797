import pg from "pg";
import { Umzug } from "umzug";
import { up as records } from "./migrations/001-records.js";
import { up as senders } from "./migrations/002-senders.js";
import { up as operations } from "./migrations/003-operations.js";
import { up as kinds } from "./migrations/004-kinds.js";
import { up as termIndex } from "./migrations/005-term-index.js";
import { up as savedFilters } from "./migrations/006-saved-filters.js";
import { up as keepDays } from "./migrations/007-keep-days.js";
import { up as ruleKinds } from "./migrations/008-rule-kinds.js";
import { up as joining } from "./migrations/009-joining.js";
import { up as ruleState } from "./migrations/010-rule-state.js";
import { up as stateLogic } from "./migrations/011-state-logic.js";
import { up as stateVersions } from "./migrations/012-state-versions.js";
import { up as notify } from "./migrations/013-notify.js";
import { up as teamwork } from "./migrations/014-teamwork.js";
import { up as learning } from "./migrations/015-learning.js";
import { up as importsGoing } from "./migrations/016-imports-going.js";
import { up as worse } from "./migrations/017-worse.js";
import { up as listening } from "./migrations/018-listening.js";
import { up as hardening } from "./migrations/019-hardening.js";
import { up as access } from "./migrations/020-access.js";
import { up as segmentFunctions } from "./migrations/021-segment-functions.js";
import { up as importsRemovable } from "./migrations/022-imports-removable.js";
import { up as wordsAnew } from "./migrations/023-words-anew.js";
import { up as stopped } from "./migrations/024-stopped.js";
import { up as namesAlike } from "./migrations/025-names-alike.js";

/** Numbered and append-only: a migration that has run anywhere is never changed. */
const MIGRATIONS = [
  { name: "001-records", up: records },
  { name: "002-senders", up: senders },
  { name: "003-operations", up: operations },
  { name: "004-kinds", up: kinds },
  { name: "005-term-index", up: termIndex },
  { name: "006-saved-filters", up: savedFilters },
  { name: "007-keep-days", up: keepDays },
  { name: "008-rule-kinds", up: ruleKinds },
  { name: "009-joining", up: joining },
  { name: "010-rule-state", up: ruleState },
  { name: "011-state-logic", up: stateLogic },
  { name: "012-state-versions", up: stateVersions },
  { name: "013-notify", up: notify },
  { name: "014-teamwork", up: teamwork },
  { name: "015-learning", up: learning },
  { name: "016-imports-going", up: importsGoing },
  { name: "017-worse", up: worse },
  { name: "018-listening", up: listening },
  { name: "019-hardening", up: hardening },
  { name: "020-access", up: access },
  { name: "021-segment-functions", up: segmentFunctions },
  { name: "022-imports-removable", up: importsRemovable },
  { name: "023-words-anew", up: wordsAnew },
  { name: "024-stopped", up: stopped },
  { name: "025-names-alike", up: namesAlike },
] as const;

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
