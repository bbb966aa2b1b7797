import type { Evidence } from "@halvik/core/detect";
import { type HalvikRecord, type Severity, severityName } from "@halvik/core/model/record";
import {
  byUrgency,
  type CloseReason,
  type HistoryCode,
  type IncidentState,
  type Link,
  needsAttention,
  type UrgencyFacts,
} from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";
import { countOfIncident, holdIncidents, keptOfIncident } from "./evidence-repository.js";

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
  owner: string | null;
  shelved_until_us: number | null;
  shelved_by: string | null;
  shelved_why: string | null;
  merged_into: number | null;
  parent: number | null;
  parent_why: string;
  folded: boolean;
  stopped: boolean;
  moments: number[] | null;
  rules: string[];
  tags: string[];
  refs: string[];
  /** What people say it was. */
  techniques: string[];
  kinds: string[];
  explains: number;
  explains_lasting: number;
}

const COLUMNS = `i.*, r.body->>'name' as rule_name,
  (select count(*)::int from incident c where c.parent = i.id and c.merged_into is null) as explains,
  (select count(*)::int from incident c where c.parent = i.id and c.merged_into is null and c.state = 'open') as explains_lasting,
  (select array_agg(t) from (select (e->>'timeUs')::bigint as t from finding f, jsonb_array_elements(f.evidence_first || f.evidence_latest) e where f.incident = i.id order by t desc limit 60) m) as moments,
  array(select distinct f.rule_id from finding f where f.incident = i.id and f.merged_into is null) as rules,
  array(select distinct t from finding f join rule fr on fr.id = f.rule_id cross join lateral jsonb_array_elements_text(fr.body->'tags') t where f.incident = i.id order by 1) as tags,
  array(select distinct t from finding f join rule fr on fr.id = f.rule_id cross join lateral jsonb_array_elements_text(fr.body->'references') t where f.incident = i.id order by 1) as refs,
  array(select distinct fr.body->>'kind' from finding f join rule fr on fr.id = f.rule_id where f.incident = i.id order by 1) as kinds`;
/** What is asked of incidents: those of a state, those that need somebody, or all. */
export type IncidentsWanted = IncidentState | "attention" | "all";

interface FactsRow {
  id: number;
  severity: Severity;
  state: IncidentState;
  stopped: boolean;
  merged: boolean;
  shelved_until_us: number | null;
  acknowledged: boolean;
  folded: boolean;
  new_since: boolean;
  returned: number;
  last_us: number;
  rules: number;
}

const FACTS = `i.id, i.severity, i.state, i.stopped, i.merged_into is not null as merged, i.shelved_until_us, i.acknowledged_us is not null as acknowledged,
  i.folded, i.new_since_seen <> '{}' as new_since, i.returned, i.last_us,
  (select count(distinct f.rule_id)::int from finding f where f.incident = i.id and f.merged_into is null) as rules`;

const factsOf = (r: FactsRow, nowUs: number): UrgencyFacts & { readonly id: number } => ({
  id: r.id,
  severity: r.severity,
  severityName: severityName(r.severity),
  state: r.state,
  stopped: r.stopped,
  merged: r.merged,
  folded: r.folded,
  shelved: (r.shelved_until_us ?? 0) >= nowUs,
  acknowledged: r.acknowledged,
  newSinceSeen: r.new_since,
  rules: r.rules,
  returned: r.returned,
  lastUs: r.last_us,
});

/** The most that are put in order for one answer: of more, the latest. */
const MOST_ORDERED = 20_000;

/** Incidents that touch a window, in the order of the queue. Put in order before any is left out. */
export async function listIncidents(
  db: Queryable,
  query: { state: IncidentsWanted; fromUs: number; toUs: number; limit: number; nowUs: number },
): Promise<IncidentRow[]> {
  const { nowUs } = query;
  const { rows: candidates } = await db.query<FactsRow & { touches: boolean }>(
    `select ${FACTS}, i.state = 'open' or coalesce(i.ended_us, i.last_us) >= $1 as touches from incident i
     where i.merged_into is null and i.first_us < $2 and (i.state = 'open' or (i.state = 'cleared' and i.stopped) or coalesce(i.ended_us, i.last_us) >= $1)
       and ($3::text is null or i.state = $3) order by i.last_us desc limit ${MOST_ORDERED}`,
    [query.fromUs, query.toUs, query.state === "all" || query.state === "attention" ? null : query.state],
  );
  const wanted = candidates
    .map((row) => ({ ...factsOf(row, nowUs), touches: row.touches }))
    // what needs somebody lasts until now, whenever its evidence came
    .filter((facts) => (facts.touches && query.state !== "attention") || needsAttention(facts))
    .sort(byUrgency(nowUs))
    .slice(0, query.limit)
    .map((facts) => facts.id);
  const { rows } = await db.query<IncidentRow>(
    `select ${COLUMNS} from incident i left join rule r on r.id = i.rule_id where i.id = any($1::int[])`,
    [wanted],
  );
  const known = new Map(rows.map((r) => [r.id, r]));
  return wanted.flatMap((id) => known.get(id) ?? []);
}

/** What urgency and attention go by, of one incident read whole. */
export const urgencyFacts = (row: IncidentRow, nowUs: number): UrgencyFacts =>
  factsOf(
    {
      ...row,
      severity: row.severity as Severity,
      merged: row.merged_into !== null,
      acknowledged: row.acknowledged_us !== null,
      new_since: row.new_since_seen.length > 0,
      rules: row.rules.length,
    },
    nowUs,
  );

/** Ids of the incidents that need somebody now. */
export async function needingAttention(db: Queryable, nowUs: number): Promise<number[]> {
  const { rows } = await db.query<FactsRow>(
    `select ${FACTS} from incident i where i.merged_into is null and (i.state = 'open' or (i.state = 'cleared' and i.stopped))`,
  );
  return rows
    .map((row) => factsOf(row, nowUs))
    .filter(needsAttention)
    .map((facts) => facts.id);
}

export async function findIncident(db: Queryable, id: number): Promise<IncidentRow | null> {
  const { rows } = await db.query<IncidentRow>(
    `select ${COLUMNS} from incident i left join rule r on r.id = i.rule_id where i.id = $1`,
    [id],
  );
  return rows[0] ?? null;
}

/** Titles of incidents by their ids. */
export async function titlesOf(db: Queryable, ids: readonly number[]): Promise<Map<number, string>> {
  const { rows } = await db.query<{ id: number; title: string }>(
    "select id, title from incident where id = any($1::int[])",
    [ids],
  );
  return new Map(rows.map((r) => [r.id, r.title]));
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
  joined: string;
  links: Link[];
  entities: string[];
  worse: number;
  key: string;
  /** How much of its evidence is kept with it. */
  kept: number;
  cleared_with: string | null;
}

/** Findings of an incident that are read at once, for an export or to take some out. */
export const FINDINGS_MOST = 2_000;

/** @param most the latest of them */
export async function findingsOf(db: Queryable, incident: number, most: number): Promise<FindingDetail[]> {
  const { rows } = await db.query<FindingDetail>(
    "select id, first_us, last_us, raised_us, count, cleared_us, cleared_by, evidence_first || evidence_latest as evidence, rule_id, rule_version, facts, joined, links, entities, worse, key, kept, cleared_with::text as cleared_with from finding where incident = $1 and merged_into is null order by first_us desc limit $2",
    [incident, most],
  );
  return rows;
}

export async function countFindings(db: Queryable, incident: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    "select count(*)::int as n from finding where incident = $1 and merged_into is null",
    [incident],
  );
  return rows[0]!.n;
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

interface HistoryRow {
  at_us: number;
  who: string;
  code: HistoryCode;
  reason: CloseReason | null;
  detail: string;
}

/** @param most the latest of it */
export async function historyOf(db: Queryable, incident: number, most: number): Promise<HistoryRow[]> {
  return (
    await db.query<HistoryRow>(
      "select at_us, who, code, reason, detail from incident_event where incident = $1 order by id desc limit $2",
      [incident, most],
    )
  ).rows;
}

export async function countHistory(db: Queryable, incident: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>("select count(*)::int as n from incident_event where incident = $1", [
    incident,
  ]);
  return rows[0]!.n;
}

/** Incidents that this record is evidence of: kept with them, or listed by what was raised before evidence was kept. */
export async function incidentsWithRecord(
  db: Queryable,
  record: HalvikRecord,
): Promise<{ id: number; title: string }[]> {
  const found = new Map((await findingsWithRecord(db, record)).map((f) => [f.incident, f.title]));
  return [...found]
    .map(([id, title]) => ({ id, title }))
    .sort((a, b) => b.id - a.id)
    .slice(0, 10);
}

/** Findings that a record is evidence of, in the order in which they were raised. */
export async function findingsWithRecord(
  db: Queryable,
  record: Pick<HalvikRecord, "id" | "timeUs">,
): Promise<{ rule: string; incident: number; title: string; raisedUs: number }[]> {
  const { rows } = await db.query<{ rule: string; incident: number; title: string; raised_us: number }>(
    `select f.rule_id as rule, i.id as incident, i.title, f.raised_us from finding f join incident i on i.id = f.incident where f.id in (
       select finding from evidence where record = $1::bigint
       union all
       select id from finding where kept = 0 and first_us <= $2 and last_us >= $2
         and (evidence_first || evidence_latest) @> jsonb_build_array(jsonb_build_object('id', $1::text))
     ) order by f.raised_us, f.id limit 100`,
    [record.id, record.timeUs],
  );
  return rows.map(({ raised_us, ...r }) => ({ ...r, raisedUs: raised_us }));
}

/** Acknowledges: covers the evidence so far. @returns false when there is no such incident */
/** As much of an incident as is shown beside what it names. */
interface NamingIncident {
  readonly id: number;
  readonly title: string;
  readonly entities: readonly string[];
  readonly severity: Severity;
  readonly state: IncidentState;
  readonly firstUs: number;
  readonly lastUs: number;
}

/** Incidents that name any of some things and touch a window, those that were met last first. @param codes as `entityCode` writes them */
export async function incidentsNaming(
  db: Queryable,
  codes: readonly string[],
  fromUs: number,
  toUs: number,
  most: number,
): Promise<NamingIncident[]> {
  const { rows } = await db.query<NamingIncident>(
    `select id, title, entities, severity, state, first_us as "firstUs", last_us as "lastUs" from incident
     where entities && $1::text[] and merged_into is null and first_us < $3 and (state = 'open' or coalesce(ended_us, last_us) >= $2)
     order by last_us desc limit $4`,
    [codes, fromUs, toUs, most],
  );
  return rows;
}

export async function acknowledge(db: Queryable, id: number, who: string, nowUs: number): Promise<boolean> {
  const result = await db.query(
    "update incident set acknowledged_by = $2, acknowledged_us = $3, seen = jsonb_build_object('severity', severity, 'entities', to_jsonb(entities), 'rules', to_jsonb(array(select distinct f.rule_id from finding f where f.incident = incident.id))), new_since_seen = '{}' where id = $1",
    [id, who, nowUs],
  );
  return result.rowCount === 1;
}

/** @returns false when there is no such incident */
export async function assignIncident(db: Queryable, id: number, to: string | null): Promise<boolean> {
  return (await db.query("update incident set owner = $2 where id = $1", [id, to])).rowCount === 1;
}

/** @returns false when there is no such incident */
export async function sayTechniques(db: Queryable, id: number, techniques: readonly string[]): Promise<boolean> {
  return (await db.query("update incident set techniques = $2 where id = $1", [id, techniques])).rowCount === 1;
}

/** Links it to another one, which it has to do with; null takes the link away. @returns false when there is no such incident */
export async function linkIncident(db: Queryable, id: number, to: number | null): Promise<boolean> {
  return (await db.query("update incident set linked_to = $2 where id = $1", [id, to])).rowCount === 1;
}

/** Keeps an incident out of the queue until a moment; null brings it back. @returns false when there is no such incident */
export async function shelveIncident(
  db: Queryable,
  id: number,
  untilUs: number | null,
  who: string,
  why: string,
): Promise<boolean> {
  const result = await db.query(
    "update incident set shelved_until_us = $2, shelved_by = $3, shelved_why = $4 where id = $1",
    [id, untilUs, who, why],
  );
  return result.rowCount === 1;
}

/** Of an incident `a`: it lasts, and no finding of its rule says so (that the engine has stopped, the engine cannot find). */
const LASTS_WITHOUT_FINDING =
  "a.state = 'open' and not exists (select from finding o where o.rule_id = a.rule_id and o.key = a.key)";

/**
 * Makes an incident what its findings say: counts, times, entities, and whether it lasts. What a person closed stays closed, unless something
 * of it lasts.
 * @param other an incident whose severity it takes over, if that is worse
 */
async function sumUp(client: Queryable, id: number, other: number): Promise<void> {
  await client.query(
    `update incident i set count = s.count, kept = s.kept, first_us = s.first_us, last_us = s.last_us, entities = s.entities,
       severity = least(i.severity, s.severity),
       state = case when s.lasts then 'open' when i.state = 'closed' then 'closed' else 'cleared' end,
       close_reason = case when s.lasts then null else i.close_reason end,
       ended_us = case when s.lasts then null when i.state = 'closed' then i.ended_us else s.ended_us end,
       stopped = case when s.lasts or i.state = 'closed' then false else s.stopped end
     from (
       select ${countOfIncident("$1", keptOfIncident("$1"))} as count, ${keptOfIncident("$1")} as kept, min(f.first_us) as first_us, max(f.last_us) as last_us,
         (select coalesce(array_agg(e), '{}') from (select distinct unnest(g.entities) as e from finding g where g.incident = $1 limit 200) d) as entities,
         (select least(a.severity, b.severity) from incident a, incident b where a.id = $1 and b.id = $2) as severity,
         bool_or(f.cleared_us is null) or exists (select from incident a where a.id = $1 and ${LASTS_WITHOUT_FINDING}) as lasts, max(f.cleared_us) as ended_us,
         coalesce((array_agg(f.cleared_by order by f.cleared_us desc nulls last))[1] in ('quiet', 'span'), false) as stopped
       from finding f where f.incident = $1
     ) s where i.id = $1`,
    [id, other],
  );
}

/** Moves all findings of an incident into another; the first one leads there from now on, and what it explains hangs on that. */
export async function mergeIncidents(
  client: Queryable,
  id: number,
  into: number,
  reason: string,
  byHand: boolean,
): Promise<void> {
  await holdIncidents(client, [id, into]);
  if (byHand) await client.query("update finding set by_hand = true where incident = $1 or incident = $2", [id, into]);
  await client.query("update finding set incident = $2, joined = $3, links = '[]' where incident = $1", [
    id,
    into,
    reason,
  ]);
  await client.query("update incident set merged_into = $2 where id = $1 or merged_into = $1", [id, into]);
  await client.query("update incident set parent = nullif($2, id) where parent = $1", [id, into]);
  await client.query(
    "update incident i set techniques = array(select distinct unnest(i.techniques || f.techniques) order by 1), late_untold = i.late_untold + f.late_untold from incident f where i.id = $2 and f.id = $1",
    [id, into],
  );
  await sumUp(client, into, id);
}

/**
 * Takes findings out into an incident of their own.
 * @param findings the first of them gives it its rule and key
 * @param byHand a person says so: it stays
 * @returns its number, or null when one of them is not there or nothing would be left
 */
export async function splitIncident(
  client: Queryable,
  id: number,
  findings: readonly number[],
  described: { title: string; severity: number },
  byHand: boolean,
): Promise<number | null> {
  await holdIncidents(client, [id]);
  const { rows } = await client.query<{ n: number; own: number }>(
    "select count(*)::int as n, count(*) filter (where id = any($2::int[]))::int as own from finding where incident = $1",
    [id, findings],
  );
  if (rows[0]!.own !== findings.length || rows[0]!.n <= findings.length) return null;
  const made = await client.query<{ id: number }>(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities, linked_to)
       select $3, $4, 'open', f.rule_id, f.rule_version, f.key, f.first_us, f.last_us, f.raised_us, f.count, f.entities, $1
       from finding f where f.id = $2 returning id`,
    [id, findings[0], described.title, described.severity],
  );
  const own = made.rows[0]!.id;
  await client.query(
    "update finding set incident = $2, joined = '', links = '[]', by_hand = $3 where id = any($1::int[])",
    [findings, own, byHand],
  );
  for (const one of [id, own]) await sumUp(client, one, one);
  return own;
}

/**
 * Closes for a reason and tells the engine, whose episode ends with it.
 * @param tellUs when the engine is told: until then it can be taken back
 * @returns false when it is closed already or unknown
 */
export async function closeIncident(
  db: Queryable,
  id: number,
  reason: CloseReason,
  nowUs: number,
  tellUs = 0,
): Promise<boolean> {
  const closed = await db.query(
    "update incident set state = 'closed', close_reason = $2, ended_us = $3 where id = $1 and state <> 'closed'",
    [id, reason, nowUs],
  );
  if (closed.rowCount === 0) return false;
  await db.query(
    "insert into engine_close (rule_id, key, at_us, due_us) select distinct rule_id, key, $2::bigint, $3::bigint from finding where incident = $1 and cleared_us is null",
    [id, nowUs, tellUs],
  );
  return true;
}

/** Incidents that nobody and nothing has said to be over, of rules that ask to be reminded of them after so many seconds, where that has passed since it was last said. */
export async function remindersDue(
  db: Queryable,
  asking: readonly { readonly rule: string; readonly seconds: number; readonly untilJudged: boolean }[],
  nowUs: number,
): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>(
    `select i.id from incident i join unnest($1::text[], $2::bigint[], $4::boolean[]) a (rule_id, seconds, until_judged) on i.rule_id = a.rule_id
     where (i.state = 'open' or (a.until_judged and i.state = 'cleared' and i.stopped)) and $3 - coalesce(i.reminded_us, (select max(at_us) from incident_event e where e.incident = i.id and e.code in ('raised', 'returned')), $3) >= a.seconds * 1000000`,
    [asking.map((a) => a.rule), asking.map((a) => a.seconds), nowUs, asking.map((a) => a.untilJudged)],
  );
  return rows.map((r) => r.id);
}

export async function markReminded(
  db: Queryable,
  ids: readonly number[],
  nowUs: number,
): Promise<{ id: number; firstUs: number; count: number }[]> {
  const { rows } = await db.query<{ id: number; first_us: number; count: number }>(
    "update incident set reminded_us = $2 where id = any($1::int[]) returning id, first_us, count",
    [ids, nowUs],
  );
  return rows.map((r) => ({ id: r.id, firstUs: r.first_us, count: r.count }));
}

/** Opens an incident of a rule that runs outside the engine, without records, unless one is open. @returns its id, if it was opened */
export async function openOnce(
  db: Queryable,
  of: {
    readonly title: string;
    readonly severity: Severity;
    readonly ruleId: string;
    readonly key: string;
    readonly firstUs: number;
  },
  nowUs: number,
): Promise<number | null> {
  const { rows } = await db.query<{ id: number }>(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities)
     select $1, $2, 'open', $3, 1, $4, $5, $6, $6, 0, '{}'
     where not exists (select from incident where rule_id = $3 and state = 'open' and merged_into is null) returning id`,
    [of.title, of.severity, of.ruleId, of.key, of.firstUs, nowUs],
  );
  return rows[0]?.id ?? null;
}

/** Clears what of a rule is open. @returns which */
export async function clearOfRule(db: Queryable, ruleId: string, nowUs: number): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>(
    "update incident set state = 'cleared', ended_us = $2, last_us = greatest(last_us, $2) where rule_id = $1 and state = 'open' and merged_into is null returning id",
    [ruleId, nowUs],
  );
  return rows.map((r) => r.id);
}
