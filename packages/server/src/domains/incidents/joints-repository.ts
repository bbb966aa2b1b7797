import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import type { JoinableIncident } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";

const MOST_INCIDENTS = 300;
/** An entity named in this many incidents of a day is a hub: it joins nothing more (`docs/semantics.md` 25). */
const HUB_INCIDENTS = 8;

/** Incidents near enough in time to be joined: open ones, and those that ended within the hour before; not those that people closed. */
export async function joinableIncidents(db: Queryable, firstUs: number, lastUs: number): Promise<JoinableIncident[]> {
  const { rows } = await db.query<{
    id: number;
    first_us: number;
    last_us: number;
    entities: string[];
    rules: string[];
  }>(
    `select i.id, i.first_us, i.last_us, i.entities, array(select distinct f.rule_id from finding f where f.incident = i.id) as rules
     from incident i where i.state <> 'closed' and i.merged_into is null and i.first_us <= $2 and i.last_us >= $1 order by i.last_us desc limit $3`,
    [firstUs - US_PER_HOUR, lastUs + US_PER_HOUR, MOST_INCIDENTS],
  );
  return rows.map((r) => ({ id: r.id, firstUs: r.first_us, lastUs: r.last_us, entities: r.entities, rules: r.rules }));
}

/** Entities that too many incidents of the last day name. */
export async function busyEntities(db: Queryable, nowUs: number): Promise<ReadonlySet<string>> {
  const { rows } = await db.query<{ entity: string }>(
    "select e as entity from incident i, unnest(i.entities) e where i.last_us >= $1 and i.merged_into is null group by e having count(*) >= $2",
    [nowUs - US_PER_DAY, HUB_INCIDENTS],
  );
  return new Set(rows.map((r) => r.entity));
}
