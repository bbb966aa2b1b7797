import { formatDuration, US_PER_MINUTE } from "@halvik/core/base/time";
import { agoUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { ENGINE } from "../incidents/findings.js";
import { readRoles } from "./repository.js";

/** The rule such an incident belongs to: none that the engine runs, since it is the engine that does not. */
export const ENGINE_STOPPED = "halvik-engine-stopped";
const STALE_US = US_PER_MINUTE;
const SEVERITY = 2;

/**
 * Raises the incident that says the engine has stopped: by whoever else runs, since the engine cannot. One at a time; the engine's next
 * measured lag clears it.
 * @param watchingSinceUs since when the caller looks: what was before is not held against the engine
 */
export async function raiseEngineStopped(db: Queryable, watchingSinceUs: number, nowUs: number): Promise<void> {
  const engine = (await readRoles(db)).find((r) => r.role === "engine");
  if (engine === undefined || engine.detail.stopped === true) return;
  const silentUs = agoUs(Math.max(engine.heartbeatUs, watchingSinceUs), nowUs);
  if (silentUs < STALE_US) return;
  const { rows } = await db.query<{ id: number }>(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities)
     select 'The engine has stopped: no rule runs', ${SEVERITY}, 'open', $1, 1, 'engine', $2, $3, $3, 0, '{}'
     where not exists (select from incident where rule_id = $1 and state = 'open' and merged_into is null) returning id`,
    [ENGINE_STOPPED, engine.heartbeatUs, nowUs],
  );
  const id = rows[0]?.id;
  if (id !== undefined)
    await addEvent(
      db,
      id,
      nowUs,
      ENGINE,
      "raised",
      `the engine has given no sign for ${formatDuration(nowUs - engine.heartbeatUs)}: records are kept, and rules run over them when it is back`,
    );
}

export async function clearEngineStopped(db: Queryable, nowUs: number): Promise<void> {
  const { rows } = await db.query<{ id: number }>(
    "update incident set state = 'cleared', ended_us = $2, last_us = greatest(last_us, $2) where rule_id = $1 and state = 'open' and merged_into is null returning id",
    [ENGINE_STOPPED, nowUs],
  );
  for (const { id } of rows) await addEvent(db, id, nowUs, ENGINE, "cleared", "the engine runs again");
}
