import type { CloseReason, IncidentState } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";

/** An earlier incident that is like another, with what they share. */
export interface SimilarRow {
  id: number;
  title: string;
  state: IncidentState;
  stopped: boolean;
  close_reason: CloseReason | null;
  last_us: number;
  /** Rules both have findings of. */
  rules: string[];
  /** Entities both name. */
  shared: string[];
  note: string | null;
}

const MOST = 6;

/** Earlier incidents of one of its rules, or with two of its entities; what shares most first, then the latest. */
export async function similarIncidents(db: Queryable, id: number): Promise<SimilarRow[]> {
  const { rows } = await db.query<SimilarRow>(
    `with this as (
       select i.first_us, i.entities, array(select distinct f.rule_id from finding f where f.incident = i.id) as rules from incident i where i.id = $1
     ), other as (
       select i.id, i.title, i.state, i.stopped, i.close_reason, i.last_us,
         array(select r.name from (select distinct f.rule_id as id from finding f where f.incident = i.id and f.rule_id = any(this.rules)) o join lateral (select coalesce((select body->>'name' from rule where id = o.id), o.id) as name) r on true) as rules,
         array(select unnest(i.entities) intersect select unnest(this.entities)) as shared
       from incident i, this
       where i.id <> $1 and i.merged_into is null and i.first_us < this.first_us
     )
     select o.*, (select e.detail from incident_event e where e.incident = o.id and e.code in ('note', 'closed') and e.detail <> '' order by e.id desc limit 1) as note
     from other o where cardinality(o.rules) > 0 or cardinality(o.shared) > 1
     order by 3 * least(cardinality(o.rules), 1) + least(cardinality(o.shared), 4) desc, o.last_us desc limit ${MOST}`,
    [id],
  );
  return rows;
}
