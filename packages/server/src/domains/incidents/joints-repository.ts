import { US_PER_HOUR } from "@halvik/core/base/time";
import { type ClearedBy, isUnproven, type Rule } from "@halvik/core/detect";
import { type IncidentState, type JoinableIncident, troubleOf } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";
import type { Shared } from "./recent-evidence.js";

const MOST_INCIDENTS = 500;
/** Findings of each that are looked at. */
const FINDINGS_EACH = 60;
const LASTING_EACH = 5;

/** Incidents near enough in time to be joined: open ones, and those with evidence within an hour; not those that people closed. @param sharing findings with records in common, and the part of them @param aboutOf what a finding of a rule and key is about @param also one that is wanted though a person has closed it */
export async function joinableIncidents(
  db: Queryable,
  firstUs: number,
  lastUs: number,
  nowUs: number,
  sharing: ReadonlyMap<number, Shared>,
  aboutOf: (rule: string, key: string) => readonly string[],
  also = 0,
): Promise<JoinableIncident[]> {
  const { rows } = await db.query<{
    id: number;
    first_us: number;
    last_us: number;
    ended_us: number | null;
    entities: string[];
    parent: number | null;
    shelved: boolean;
    taken: boolean;
  }>(
    `select i.id, i.first_us, i.last_us, case when i.state = 'open' then null else coalesce(i.ended_us, i.last_us) end as ended_us, i.entities, i.parent, coalesce(i.shelved_until_us, 0) > $5 as shelved,
       i.acknowledged_us is not null or i.owner is not null as taken from incident i
     where (i.state <> 'closed' or i.id = $4) and i.merged_into is null and i.first_us <= $2 and (i.last_us >= $1 or i.state = 'open') order by i.last_us desc limit $3`,
    [firstUs - US_PER_HOUR, lastUs + US_PER_HOUR, MOST_INCIDENTS, also, nowUs],
  );
  const { rows: findings } = await db.query<{
    incident: number;
    latest: {
      id: number;
      rule_id: string;
      key: string;
      suspects: string[];
      lasts: boolean;
      cleared_by: ClearedBy | null;
    }[];
  }>(
    // the latest of each and what has lasted longest: an incident of a storm has thousands, and the rest says nothing new
    `select i.id as incident, (select json_agg(f) from (
       (select id, rule_id, key, suspects, cleared_us is null as lasts, cleared_by from finding o
        where o.incident = i.id and o.merged_into is null order by o.id desc limit $2)
       union all
       (select id, rule_id, key, suspects, true, cleared_by from finding o
        where o.incident = i.id and o.merged_into is null and o.cleared_us is null order by o.id limit $3)
     ) f) as latest from unnest($1::int[]) i (id)`,
    [rows.map((r) => r.id), FINDINGS_EACH, LASTING_EACH],
  );
  const byIncident = new Map(findings.map((f) => [f.incident, f.latest ?? []]));
  return rows.map((r) => {
    const own = byIncident.get(r.id) ?? [];
    return {
      id: r.id,
      firstUs: r.first_us,
      lastUs: r.last_us,
      endedUs: r.ended_us,
      entities: r.entities,
      suspects: [...new Set(own.flatMap((f) => f.suspects))],
      parent: r.parent,
      sharedRecords: Math.max(0, ...own.map((f) => sharing.get(f.id)?.ofSmaller ?? 0)),
      shelved: r.shelved,
      // what a person has taken up is not taken away under their hands
      covered:
        r.taken || own.length === 0 || own.length >= FINDINGS_EACH
          ? 0
          : Math.min(...own.map((f) => sharing.get(f.id)?.ofItsOwn ?? 0)),
      about: [...new Set(own.flatMap((f) => aboutOf(f.rule_id, f.key)))],
      rules: [...new Set(own.map((f) => f.rule_id))],
      lasting: [...new Set(own.flatMap((f) => (f.lasts ? [f.rule_id] : [])))],
      troubles: [...new Set(own.map((f) => troubleOf(f.rule_id, f.key)))],
      stopped: [...new Set(own.flatMap((f) => (isUnproven(f.cleared_by) ? [troubleOf(f.rule_id, f.key)] : [])))],
    };
  });
}

/** Puts an incident under the one that explains it: it calls nobody by itself as long as that one lasts. Two do not explain each other. */
export async function explainIncident(db: Queryable, id: number, by: number, why: string): Promise<void> {
  await db.query(
    `update incident set parent = $2, parent_why = $3, folded = true
     where id = $1 and id <> $2 and not exists (select from incident p where p.id = $2 and p.parent = $1)`,
    [id, by, why],
  );
}

/** What is in it is not only what the one above explains: it stands for itself. */
export async function unfoldIncident(db: Queryable, id: number): Promise<void> {
  await db.query("update incident set folded = false where id = $1", [id]);
}

/** Notes that an incident which was seen explains more than then. */
export async function noteConsequence(db: Queryable, id: number, entities: readonly string[]): Promise<void> {
  await db.query(
    `update incident i set new_since_seen = i.new_since_seen || array(
       select e from unnest($2::text[]) e where not e = any(i.new_since_seen) and not i.seen->'entities' ? e
     ) where id = $1 and seen is not null`,
    [id, entities],
  );
}

/** Consequences that last although what explained them has been over for so long; they stand for themselves from now on. */
export async function unfoldOutlasting(
  db: Queryable,
  nowUs: number,
  forUs: number,
): Promise<{ readonly id: number; readonly parent: number }[]> {
  const { rows } = await db.query<{ id: number; parent: number }>(
    `update incident i set folded = false from incident p
     where p.id = i.parent and i.folded and i.merged_into is null and i.state = 'open' and p.state <> 'open' and coalesce(p.ended_us, $1) <= $1 - $2::bigint
     returning i.id, i.parent`,
    [nowUs, forUs],
  );
  return rows;
}

export interface ConsequenceRow {
  readonly id: number;
  readonly title: string;
  readonly state: IncidentState;
  readonly first_us: number;
  readonly parent_why: string;
}

/** What an incident explains, in the order of time. */
export async function consequencesOfIncident(db: Queryable, id: number): Promise<ConsequenceRow[]> {
  const { rows } = await db.query<ConsequenceRow>(
    "select id, title, state, first_us, parent_why from incident where parent = $1 and merged_into is null order by first_us, id limit 200",
    [id],
  );
  return rows;
}

/** How many senders were heard between two hours, counted from 1970. */
export async function sendersHeard(db: Queryable, fromHour: number, toHour: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    "select count(distinct sender)::int as n from rollup_hour where bucket >= $1 and bucket < $2",
    [fromHour, toHour],
  );
  return rows[0]!.n;
}

/** What joining asks of rules as they are now. */
export async function joiningRules(
  db: Queryable,
): Promise<{ readonly id: string; readonly key: Rule["key"]; readonly tags: string[] }[]> {
  const { rows } = await db.query<{ id: string; key: Rule["key"] | null; tags: string[] | null }>(
    "select id, body->'key' as key, body->'tags' as tags from rule",
  );
  return rows.map((r) => ({ id: r.id, key: r.key ?? [], tags: r.tags ?? [] }));
}
