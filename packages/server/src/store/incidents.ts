import type { Evidence } from "@halvik/core/correlation";
import type { CloseReason, IncidentState } from "@halvik/core/incidents";
import type { HalvikRecord } from "@halvik/core/record";
import type { Queryable } from "./pool.js";

export interface IncidentRow {
  id: number;
  title: string;
  severity: number;
  state: IncidentState;
  rule_id: string;
  rule_name: string | null;
  rule_version: number;
  key: string;
  first_us: number;
  last_us: number;
  raised_us: number;
  ended_us: number | null;
  count: number;
  returned: number;
  entities: string[];
  close_reason: CloseReason | null;
  acknowledged_by: string | null;
  acknowledged_us: number | null;
  new_since_seen: string[];
  linked_to: number | null;
  moments: number[] | null;
}

const COLUMNS = `i.*, r.body->>'name' as rule_name,
  (select array_agg(t) from (select (e->>'timeUs')::bigint as t from finding f, jsonb_array_elements(f.evidence_first || f.evidence_latest) e where f.incident = i.id order by t desc limit 60) m) as moments`;
const ATTENTION = "i.state = 'open' and (i.acknowledged_us is null or i.new_since_seen <> '{}')";

export async function listIncidents(
  db: Queryable,
  query: { state: IncidentState | "attention" | "all"; fromUs: number; toUs: number; limit: number },
): Promise<IncidentRow[]> {
  const wanted = query.state === "all" ? "true" : query.state === "attention" ? ATTENTION : "i.state = $4";
  // what is still open lasts until now, whenever its evidence came
  const { rows } = await db.query<IncidentRow>(
    `select ${COLUMNS} from incident i left join rule r on r.id = i.rule_id
     where ${wanted} and i.first_us < $2 and (i.state = 'open' or coalesce(i.ended_us, i.last_us) >= $1)
     order by (i.state = 'open') desc, (${ATTENTION}) desc, case when i.state = 'open' then i.severity else 0 end, i.last_us desc limit $3`,
    [query.fromUs, query.toUs, query.limit, ...(wanted.includes("$4") ? [query.state] : [])],
  );
  return rows;
}

export async function countAttention(db: Queryable): Promise<number> {
  return (await db.query<{ n: number }>(`select count(*)::int as n from incident i where ${ATTENTION}`)).rows[0]!.n;
}

export async function findIncident(db: Queryable, id: number): Promise<IncidentRow | null> {
  const { rows } = await db.query<IncidentRow>(
    `select ${COLUMNS} from incident i left join rule r on r.id = i.rule_id where i.id = $1`,
    [id],
  );
  return rows[0] ?? null;
}

export interface FindingDetail {
  id: number;
  first_us: number;
  last_us: number;
  raised_us: number;
  count: number;
  cleared_us: number | null;
  cleared_by: string | null;
  evidence: Evidence[];
  rule_id: string;
  rule_version: number;
  facts: [string, number][];
}

export async function findingsOf(db: Queryable, incident: number): Promise<FindingDetail[]> {
  const { rows } = await db.query<FindingDetail>(
    "select id, first_us, last_us, raised_us, count, cleared_us, cleared_by, evidence_first || evidence_latest as evidence, rule_id, rule_version, facts from finding where incident = $1 and merged_into is null order by first_us desc limit 50",
    [incident],
  );
  return rows;
}

/** Rules in the versions in which they made findings. */
export async function ruleBodies(
  db: Queryable,
  used: readonly { rule_id: string; rule_version: number }[],
): Promise<{ id: string; version: number; body: unknown }[]> {
  const { rows } = await db.query<{ id: string; version: number; body: unknown }>(
    "select distinct v.id, v.version, v.body from rule_version v join unnest($1::text[], $2::int[]) u (id, version) using (id, version)",
    [used.map((u) => u.rule_id), used.map((u) => u.rule_version)],
  );
  return rows;
}

export async function historyOf(
  db: Queryable,
  incident: number,
): Promise<{ at_us: number; who: string; what: string; detail: string }[]> {
  return (
    await db.query<{ at_us: number; who: string; what: string; detail: string }>(
      "select at_us, who, what, detail from incident_event where incident = $1 order by id desc limit 500",
      [incident],
    )
  ).rows;
}

/** Incidents that hold this record as evidence that is still listed. */
export async function incidentsWithRecord(
  db: Queryable,
  record: HalvikRecord,
): Promise<{ id: number; title: string }[]> {
  const { rows } = await db.query<{ id: number; title: string }>(
    `select distinct i.id, i.title from finding f join incident i on i.id = f.incident
     where f.first_us <= $2 and f.last_us >= $2 and (f.evidence_first || f.evidence_latest) @> jsonb_build_array(jsonb_build_object('id', $1::text)) order by i.id desc limit 10`,
    [record.id, record.timeUs],
  );
  return rows;
}

/** Acknowledges: covers the evidence so far. @returns false when there is no such incident */
export async function acknowledge(db: Queryable, id: number, who: string, nowUs: number): Promise<boolean> {
  const result = await db.query(
    "update incident set acknowledged_by = $2, acknowledged_us = $3, seen = jsonb_build_object('severity', severity, 'entities', to_jsonb(entities)), new_since_seen = '{}' where id = $1",
    [id, who, nowUs],
  );
  return result.rowCount === 1;
}

/** Closes for a reason and tells the engine, whose episode ends with it. @returns false when it is closed already or unknown */
export async function closeIncident(db: Queryable, id: number, reason: CloseReason, nowUs: number): Promise<boolean> {
  const { rows } = await db.query<{ rule_id: string; key: string }>(
    "update incident set state = 'closed', close_reason = $2, ended_us = $3 where id = $1 and state <> 'closed' returning rule_id, key",
    [id, reason, nowUs],
  );
  const row = rows[0];
  if (!row) return false;
  await db.query("insert into engine_close (rule_id, key, at_us) values ($1, $2, $3)", [row.rule_id, row.key, nowUs]);
  return true;
}
