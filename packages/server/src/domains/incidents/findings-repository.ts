import type { Episode, StateAddress } from "@halvik/core/detect";
import type { Severity } from "@halvik/core/model/record";
import type { CloseReason, IncidentState, Link, SeenEvidence } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";
import { countOfIncident } from "./evidence-repository.js";

/** A finding as kept. */
export interface FindingRow {
  id: number;
  /** Null: of a rule that only listens. */
  incident: number | null;
  ruleId: string;
  lane: string;
  key: string;
  firstUs: number;
  lastUs: number;
  count: number;
  clearedUs: number | null;
}

/** Findings that later evidence may still touch: open ones first, then the most recent. */
export async function loadFindings(db: Queryable, most: number): Promise<FindingRow[]> {
  const { rows } = await db.query<{
    id: number;
    incident: number | null;
    rule_id: string;
    lane: string;
    key: string;
    first_us: number;
    last_us: number;
    count: number;
    cleared_us: number | null;
  }>(
    "select id, incident, rule_id, lane, key, first_us, last_us, count, cleared_us from finding where merged_into is null order by (cleared_us is null) desc, last_us desc limit $1",
    [most],
  );
  return rows.map((r) => ({
    id: r.id,
    incident: r.incident,
    ruleId: r.rule_id,
    lane: r.lane,
    key: r.key,
    firstUs: r.first_us,
    lastUs: r.last_us,
    count: r.count,
    clearedUs: r.cleared_us,
  }));
}

/** Evidence of the findings that came last, the oldest of them first. */
export async function recentEvidence(
  db: Queryable,
): Promise<{ readonly id: number; readonly first: Episode["first"]; readonly latest: Episode["latest"] }[]> {
  const { rows } = await db.query<{ id: number; first: Episode["first"]; latest: Episode["latest"] }>(
    "select id, evidence_first as first, evidence_latest as latest from finding where merged_into is null order by id desc limit 2000",
  );
  return rows.reverse();
}

export async function insertFinding(
  db: Queryable,
  incident: number | null,
  address: StateAddress,
  e: Episode,
  placed: { readonly joined: string; readonly links: readonly Link[]; readonly suspects: readonly string[] },
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    `insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities, cleared_us, cleared_by, facts, joined, worse, suspects, links, cleared_with, rule_version)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, coalesce((select version from rule where id = $2), 1)) returning id`,
    [
      incident,
      address.ruleId,
      address.lane,
      address.key,
      e.firstUs,
      e.lastUs,
      e.raisedUs,
      e.count,
      JSON.stringify(e.first),
      JSON.stringify(e.latest),
      e.entities,
      e.clearedUs,
      e.clearedBy,
      JSON.stringify(e.facts),
      placed.joined,
      e.worse,
      placed.suspects,
      JSON.stringify(placed.links),
      e.clearedWith ?? null,
    ],
  );
  return rows[0]!.id;
}

/** Where a finding lies. */
export interface Place {
  readonly incident: number;
  /** When the incident began, where the finding may leave it: there are others in it, and no person has put it there. Null: it may not. */
  readonly mayLeaveUs: number | null;
}

/** @returns where it lies now: people merge and split; null: nowhere */
export async function updateFinding(db: Queryable, id: number, e: Episode): Promise<Place | null> {
  const { rows } = await db.query<{ incident: number | null; mayLeaveUs: number | null }>({
    // planned once a session, as others of which a flood asks thousands
    name: "update finding",
    text: `update finding f set first_us = $2, last_us = $3, raised_us = $4, count = $5, evidence_first = $6, evidence_latest = $7, entities = $8, cleared_us = $9, cleared_by = $10, facts = $11, worse = $12, cleared_with = $13 where id = $1
     returning incident, (select i.first_us from incident i where i.id = f.incident and not f.by_hand
       and exists (select from finding o where o.incident = i.id and o.id <> f.id)) as "mayLeaveUs"`,
    values: [
      id,
      e.firstUs,
      e.lastUs,
      e.raisedUs,
      e.count,
      JSON.stringify(e.first),
      JSON.stringify(e.latest),
      e.entities,
      e.clearedUs,
      e.clearedBy,
      JSON.stringify(e.facts),
      e.worse,
      e.clearedWith ?? null,
    ],
  });
  const row = rows[0];
  return row === undefined || row.incident === null ? null : { incident: row.incident, mayLeaveUs: row.mayLeaveUs };
}

/** Writes the counts and bounds of findings that grew by what came late. */
export async function amendFindings(
  db: Queryable,
  grown: readonly Pick<FindingRow, "id" | "count" | "firstUs" | "lastUs">[],
): Promise<void> {
  await db.query(
    `update finding f set count = a.count, first_us = a.first_us, last_us = a.last_us
     from unnest($1::int[], $2::bigint[], $3::bigint[], $4::bigint[]) a (id, count, first_us, last_us) where f.id = a.id`,
    [grown.map((f) => f.id), grown.map((f) => f.count), grown.map((f) => f.firstUs), grown.map((f) => f.lastUs)],
  );
}

/** What came late for one incident: how many records, from when to when. */
export interface LateGrowth {
  readonly id: number;
  readonly count: number;
  readonly firstUs: number;
  readonly lastUs: number;
}

/** Late records that an incident's history is to tell of now. */
export interface LateNoted {
  readonly id: number;
  readonly records: number;
}

/** Lets incidents grow by what came late, once their findings have. @returns those whose history last told of such records so long ago, or never */
export async function amendIncidents(
  db: Queryable,
  late: readonly LateGrowth[],
  nowUs: number,
  apartUs: number,
): Promise<LateNoted[]> {
  const { rows } = await db.query<LateNoted & { due: boolean }>(
    `update incident i set count = ${countOfIncident("i.id", "i.kept")}, first_us = least(i.first_us, l.first_us), last_us = greatest(i.last_us, l.last_us),
       late_untold = case when w.due then 0 else w.untold end, late_told_us = case when w.due then $5 else i.late_told_us end
     from unnest($1::int[], $2::bigint[], $3::bigint[], $4::int[]) l (id, first_us, last_us, n)
       join lateral (select b.late_untold + l.n as untold, (b.late_told_us <= $5::bigint - $6 or b.late_told_us > $5) as due from incident b where b.id = l.id) w on true
     where i.id = l.id returning i.id, w.untold as records, w.due`,
    [
      late.map((l) => l.id),
      late.map((l) => l.firstUs),
      late.map((l) => l.lastUs),
      late.map((l) => l.count),
      nowUs,
      apartUs,
    ],
  );
  return rows.filter((r) => r.due);
}

/** Incidents with late records their history has yet to tell of, that told of some no later than `beforeUs`: from now on it has. @param only this one */
export async function takeLateHeldBack(
  db: Queryable,
  beforeUs: number,
  nowUs: number,
  only: number | null,
): Promise<LateNoted[]> {
  const { rows } = await db.query<LateNoted>(
    `update incident i set late_untold = 0, late_told_us = $2
     from (select id, late_untold from incident where late_untold > 0 and (late_told_us <= $1 or late_told_us > $2) and merged_into is null and ($3::int is null or id = $3) order by id for update) w
     where i.id = w.id returning i.id, w.late_untold as records`,
    [beforeUs, nowUs, only],
  );
  return rows;
}

/** The incident in which the last finding of a rule and key lies, or the one it was merged into. */
export async function latestIncidentOf(
  db: Queryable,
  ruleId: string,
  key: string,
): Promise<{ id: number; state: IncidentState; closeReason: CloseReason | null; endedUs: number | null } | null> {
  const { rows } = await db.query<{
    id: number;
    state: IncidentState;
    close_reason: CloseReason | null;
    ended_us: number | null;
  }>(
    `select coalesce(m.id, i.id) as id, coalesce(m.state, i.state) as state, coalesce(m.close_reason, i.close_reason) as close_reason, coalesce(m.ended_us, i.ended_us) as ended_us
     from finding f join incident i on i.id = f.incident left join incident m on m.id = i.merged_into
     where f.rule_id = $1 and key_hash(f.key) = key_hash($2) order by f.id desc limit 1`,
    [ruleId, key],
  );
  const row = rows[0];
  return row ? { id: row.id, state: row.state, closeReason: row.close_reason, endedUs: row.ended_us } : null;
}

/** What had ended goes on. @param returns it came again after the end: nobody has seen it as it is now */
export async function reopenIncident(db: Queryable, id: number, returns: boolean): Promise<void> {
  await db.query(
    "update incident set state = 'open', stopped = false, ended_us = null, close_reason = null where id = $1",
    [id],
  );
  if (returns)
    await db.query(
      "update incident set returned = returned + 1, acknowledged_by = null, acknowledged_us = null, seen = null, new_since_seen = '{}' where id = $1",
      [id],
    );
}

/** Opens an incident without records: its count comes with its finding. */
export async function insertIncident(
  db: Queryable,
  of: {
    readonly title: string;
    readonly severity: Severity;
    readonly ruleId: string;
    readonly key: string;
    readonly episode: Episode;
    readonly linkedTo: number | null;
  },
): Promise<number> {
  const { episode: e } = of;
  const { rows } = await db.query<{ id: number }>(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities, linked_to)
     values ($1, $2, 'open', $3, coalesce((select version from rule where id = $3), 1), $4, $5, $6, $7, 0, $8, $9) returning id`,
    [of.title, of.severity, of.ruleId, of.key, e.firstUs, e.lastUs, e.raisedUs, e.entities, of.linkedTo],
  );
  return rows[0]!.id;
}

/** An incident about to grow. */
export interface GrowingIncident {
  readonly title: string;
  readonly ruleId: string;
  readonly entities: readonly string[];
  readonly severity: Severity;
  readonly lastUs: number;
  readonly seen: SeenEvidence | null;
  readonly newSinceSeen: readonly string[];
  /** Entities that its history has not named yet, and when it last named some. */
  readonly untold: readonly string[];
  readonly toldUs: number;
  readonly rules: readonly string[];
  /** Records that findings of this rule count in it. */
  readonly ofRule: number;
}

/** Held until the transaction ends. */
export async function incidentToGrow(db: Queryable, id: number, ruleId: string): Promise<GrowingIncident | null> {
  const { rows } = await db.query<GrowingIncident>({
    name: "incident to grow",
    text: `select title, rule_id as "ruleId", entities, severity, last_us as "lastUs", seen, new_since_seen as "newSinceSeen", untold, told_us as "toldUs",
       array(select distinct f.rule_id from finding f where f.incident = i.id and f.merged_into is null) as rules,
       (select coalesce(sum(f.count), 0)::bigint from finding f where f.incident = i.id and f.rule_id = $2 and f.merged_into is null) as "ofRule"
     from incident i where id = $1 for update of i`,
    values: [id, ruleId],
  });
  return rows[0] ?? null;
}

/** An incident with what its history has yet to name. */
export interface HeldBackRow {
  readonly id: number;
  readonly untold: readonly string[];
}

/** Keeps what an incident's history has yet to name. @param toldUs when it named some just now */
export async function keepHeldBack(
  db: Queryable,
  id: number,
  untold: readonly string[],
  toldUs: number | null = null,
): Promise<void> {
  await db.query("update incident set untold = $2, told_us = coalesce($3, told_us) where id = $1", [
    id,
    untold,
    toldUs,
  ]);
}

/** Incidents with something their history has yet to name, that named something no later than `beforeUs`. @param only this one */
export async function heldBackSince(
  db: Queryable,
  beforeUs: number,
  only: number | null = null,
): Promise<HeldBackRow[]> {
  const { rows } = await db.query<HeldBackRow>(
    "select id, untold from incident where untold <> '{}' and told_us <= $1 and merged_into is null and ($2::int is null or id = $2)",
    [beforeUs, only],
  );
  return rows;
}

export async function growIncident(
  db: Queryable,
  id: number,
  by: {
    readonly episode: Episode;
    readonly entities: readonly string[];
    readonly title: string;
    readonly newSinceSeen: readonly string[];
    readonly severity: Severity;
    /** The rule it is of from now on, and the key with it if that is another one than before. */
    readonly ruleId: string;
    readonly key: string;
  },
): Promise<void> {
  await db.query({
    name: "grow incident",
    text: `update incident set count = ${countOfIncident("$1", "kept")}, first_us = least(first_us, $2), last_us = greatest(last_us, $3), entities = $4, title = $5, new_since_seen = $6, severity = least(severity, $7),
       rule_id = $8, key = case when $8 = rule_id then key else $9 end, rule_version = case when $8 = rule_id then rule_version else coalesce((select version from rule where id = $8), 1) end
     where id = $1`,
    values: [
      id,
      by.episode.firstUs,
      by.episode.lastUs,
      by.entities,
      by.title,
      by.newSinceSeen,
      by.severity,
      by.ruleId,
      by.key,
    ],
  });
}

export async function hasOpenFinding(db: Queryable, incident: number): Promise<boolean> {
  const { rowCount } = await db.query(
    "select 1 from finding where incident = $1 and cleared_us is null and merged_into is null limit 1",
    [incident],
  );
  return (rowCount ?? 0) > 0;
}

export async function isOpen(db: Queryable, incident: number): Promise<boolean> {
  const { rowCount } = await db.query("select 1 from incident where id = $1 and state = 'open'", [incident]);
  return rowCount === 1;
}

/** @returns whether it was open */
export async function clearIncident(db: Queryable, id: number, endedUs: number): Promise<boolean> {
  const { rowCount } = await db.query(
    "update incident set state = 'cleared', ended_us = greatest($2::bigint, (select max(cleared_us) from finding where incident = $1)), stopped = exists (select from finding where incident = $1 and cleared_by in ('quiet', 'span')) where id = $1 and state = 'open'",
    [id, endedUs],
  );
  return (rowCount ?? 0) > 0;
}
