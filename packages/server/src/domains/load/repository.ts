import { valuesOfField } from "@halvik/core/model/entity";
import type { Severity } from "@halvik/core/model/record";
import type { CloseReason } from "@halvik/core/respond/incidents";
import type { Alarm, PastFinding } from "@halvik/core/respond/load";
import type { Queryable } from "../../kernel/db/pool.js";

/** An incident as it called for people. */
export interface RaisedIncident extends Alarm {
  readonly rule: string;
  /** The device that reported it first, by its number; null: it names none. */
  readonly sender: number | null;
  readonly acknowledgedUs: number | null;
  readonly closedAs: CloseReason | null;
  /** It was found in imported history. */
  readonly imported: boolean;
}

interface IncidentRow {
  at_us: number;
  severity: Severity;
  rule_id: string;
  key: string;
  entities: string[];
  ended_us: number | null;
  acknowledged_us: number | null;
  close_reason: CloseReason | null;
  imported: boolean;
}

/**
 * Incidents raised before `toUs` that were raised or still stood in the window, and each time one of them came back; those that another one explains
 * or holds called nobody. The newest so many.
 */
export async function raisedIncidents(
  db: Queryable,
  fromUs: number,
  toUs: number,
  most: number,
): Promise<RaisedIncident[]> {
  const { rows } = await db.query<IncidentRow>(
    `with stood as (
       select i.id, i.raised_us, i.severity, i.rule_id, i.key, i.entities, i.ended_us, i.acknowledged_us, i.close_reason,
         coalesce((select bool_and(e.history) from incident_event e where e.incident = i.id and e.code in ('raised', 'returned')), false) as imported
       from incident i
       where i.merged_into is null and not i.folded and i.raised_us < $2 and (i.raised_us >= $1 or i.ended_us is null or i.ended_us > $1)
       order by i.raised_us desc limit $3)
     select raised_us as at_us, severity, rule_id, key, entities, ended_us, acknowledged_us, close_reason, imported from stood
     union all
     select e.at_us, s.severity, s.rule_id, s.key, s.entities, s.ended_us, s.acknowledged_us, s.close_reason, false
       from stood s join incident_event e on e.incident = s.id
       where e.code in ('returned', 'outlasts') and not e.history and e.at_us >= $1 and e.at_us < $2`,
    [fromUs, toUs, most],
  );
  return rows.map((r) => {
    const sender = valuesOfField(r.entities, "sender")[0];
    return {
      atUs: r.at_us,
      severity: r.severity,
      what: `${r.rule_id} ${r.key}`,
      source: `${r.rule_id} ${sender ?? ""}`,
      endedUs: r.ended_us,
      rule: r.rule_id,
      sender: sender === undefined ? null : Number(sender),
      acknowledgedUs: r.acknowledged_us,
      closedAs: r.close_reason,
      imported: r.imported,
    };
  });
}

/** A message that reached somebody. */
export interface SentMessage extends Alarm {
  readonly to: string;
  readonly rule: string;
  readonly sender: number | null;
}

/** Messages that were sent in a window, once for everybody they reached; what went together is one. The newest so many. */
export async function sentMessages(db: Queryable, fromUs: number, toUs: number, most: number): Promise<SentMessage[]> {
  const { rows } = await db.query<{
    at_us: number;
    recipient: string;
    severity: Severity;
    rule_id: string;
    key: string;
    entities: string[];
    ended_us: number | null;
  }>(
    `select distinct on (d.message, t.recipient) d.ended_us as at_us, t.recipient, i.severity, i.rule_id, i.key, i.entities, i.ended_us
     from delivery d join incident i on i.id = d.incident cross join lateral unnest(d.recipients) t(recipient)
     where d.state = 'sent' and d.ended_us >= $1 and d.ended_us < $2
     order by d.message, t.recipient, i.severity limit $3`,
    [fromUs, toUs, most],
  );
  return rows.map((r) => {
    const sender = valuesOfField(r.entities, "sender")[0];
    return {
      atUs: r.at_us,
      to: r.recipient,
      severity: r.severity,
      what: `${r.rule_id} ${r.key}`,
      source: `${r.rule_id} ${sender ?? ""}`,
      endedUs: r.ended_us,
      rule: r.rule_id,
      sender: sender === undefined ? null : Number(sender),
    };
  });
}

/** Findings since a moment by rule, the newest so many of each, with how their incidents were closed. */
export async function pastFindings(
  db: Queryable,
  sinceUs: number,
  mostOfEach: number,
): Promise<ReadonlyMap<string, readonly PastFinding[]>> {
  const { rows } = await db.query<{
    rule_id: string;
    first_us: number;
    last_us: number;
    raised_us: number;
    cleared_us: number | null;
    count: number;
    key: string;
    entities: string[];
    close_reason: CloseReason | null;
    called: boolean;
  }>(
    `select f.rule_id, f.first_us, f.last_us, f.raised_us, f.cleared_us, f.count, f.key, f.entities, i.close_reason,
       coalesce(i.rule_id = f.rule_id and i.key = f.key and i.raised_us = f.raised_us and not i.folded, false) as called
     from (select *, row_number() over (partition by rule_id order by raised_us desc) as n from finding where raised_us >= $1 and merged_into is null) f
       left join incident i on i.id = f.incident
     where f.n <= $2 order by f.raised_us`,
    [sinceUs, mostOfEach],
  );
  const found = new Map<string, PastFinding[]>();
  for (const r of rows) {
    const of = found.get(r.rule_id) ?? [];
    found.set(r.rule_id, of);
    of.push({
      firstUs: r.first_us,
      lastUs: r.last_us,
      raisedUs: r.raised_us,
      clearedUs: r.cleared_us,
      count: r.count,
      key: r.key,
      entities: r.entities,
      closedAs: r.close_reason,
      called: r.called,
    });
  }
  return found;
}
