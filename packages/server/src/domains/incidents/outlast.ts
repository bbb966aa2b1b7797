import { US_PER_MINUTE } from "@halvik/core/base/time";
import { ITSELF } from "../../kernel/actor.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { unfoldOutlasting } from "./joints-repository.js";

/** How long a consequence may last on when its cause is over, before it stands for itself. */
const FOLLOWS_WITHIN_US = 15 * US_PER_MINUTE;

/** Raises what lasts although its cause is over: it needs a person after all. */
export async function noteOutlasting(db: Queryable, nowUs: number): Promise<void> {
  for (const { id, parent } of await unfoldOutlasting(db, nowUs, FOLLOWS_WITHIN_US))
    await addEvent(db, id, nowUs, ITSELF, "outlasts", `incident ${parent} is over, and this lasts`);
}
