import { formatDuration, US_PER_MINUTE } from "@halvik/core/base/time";
import { ITSELF } from "../../kernel/actor.js";
import { agoUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { clearOfRule, openOnce } from "../incidents/repository.js";
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
  const id = await openOnce(
    db,
    {
      title: "The engine has stopped: no rule runs",
      severity: SEVERITY,
      ruleId: ENGINE_STOPPED,
      key: "engine",
      firstUs: engine.heartbeatUs,
    },
    nowUs,
  );
  if (id !== null)
    await addEvent(
      db,
      id,
      nowUs,
      ITSELF,
      "raised",
      `the engine has given no sign for ${formatDuration(nowUs - engine.heartbeatUs)}: records are kept, and rules run over them when it is back`,
    );
}

export async function clearEngineStopped(db: Queryable, nowUs: number): Promise<void> {
  for (const id of await clearOfRule(db, ENGINE_STOPPED, nowUs))
    await addEvent(db, id, nowUs, ITSELF, "cleared", "the engine runs again");
}
