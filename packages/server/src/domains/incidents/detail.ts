import type { IncidentJson } from "@halvik/contract/incidents";
import { formatUs, US_PER_SECOND } from "@halvik/core/base/time";
import {
  conditionsOf,
  entityValues,
  findingTitle,
  isOfRecords,
  type Rule,
  readKeptRule,
  ruleWindowUs,
  sayClear,
  sayRule,
} from "@halvik/core/detect";
import { isEntityCode, readEntity, valuesOfField } from "@halvik/core/model/entity";
import { type HalvikRecord, type RecordJson, severityName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { historyWords, needsAttention, techniquesOf, type Urgency, urgencyOf } from "@halvik/core/respond/incidents";
import type * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { timesBefore } from "./again-repository.js";
import { storedOrKept } from "./evidence-repository.js";
import { consequencesOfIncident } from "./joints-repository.js";
import {
  countFindings,
  countHistory,
  FINDINGS_MOST,
  type FindingDetail,
  findIncident,
  findingsOf,
  historyOf,
  type IncidentRow,
  ruleBodies,
  urgencyFacts,
} from "./repository.js";
import { type SimilarRow, similarIncidents } from "./similar-repository.js";
import { tasksOf } from "./tasks-repository.js";

/** How much of an incident is read at once: of its findings, since a storm of many keys makes more than a page can show, and of its history. */
export interface Reach {
  readonly findings: number;
  readonly history: number;
}
const SHOWN: Reach = { findings: 50, history: 500 };
export const EXPORTED: Reach = { findings: FINDINGS_MOST, history: 20_000 };

/**
 * One incident with its evidence, why it was raised, and its history: what is shown, exported and mailed. Null: there is none.
 * @param most the latest of its findings and of its history; how many more there are is said
 */
export async function incidentDetail(
  db: Queryable,
  id: number,
  senders: SenderDirectory,
  present: (record: HalvikRecord) => RecordJson,
  most: Reach = SHOWN,
) {
  const row = await findIncident(db, id);
  if (!row) return null;
  const history = await historyOf(db, id, most.history);
  const findings = await findingsOf(db, id, most.findings);
  const records = await storedOrKept(
    db,
    findings.flatMap((f) => [...f.evidence.map((e) => e.id), ...(f.cleared_with === null ? [] : [f.cleared_with])]),
  );
  const shown = (record: HalvikRecord | undefined) => (record === undefined ? null : present(record));
  const rules = (await ruleBodies(db, findings)).flatMap(({ body, version }) => {
    const rule = readKeptRule(body)?.rule;
    return rule === undefined ? [] : [{ rule, version }];
  });
  return {
    incident: incidentJson(row, senders, nowUs()),
    rules: rules.map(({ rule, version }) => {
      const conditions = conditionsOf(rule);
      return {
        id: rule.id,
        name: rule.name,
        version,
        sentence: sayRule(rule),
        reason: rule.reason,
        notes: rule.notes,
        clears: sayClear(rule),
        steps: rule.kind === "sequence" || rule.kind === "together" ? conditions.map((c) => c.name || c.filter) : [],
        windowSeconds: ruleWindowUs(rule) / US_PER_SECOND,
      };
    }),
    findings: findings.map((f) => {
      const evidence = f.evidence.flatMap((e) => records.get(e.id) ?? []);
      return {
        id: f.id,
        first: formatUs(f.first_us),
        last: formatUs(f.last_us),
        raised: formatUs(f.raised_us),
        count: f.count,
        cleared: f.cleared_us === null ? null : formatUs(f.cleared_us),
        clearedBy: f.cleared_by,
        clearedWith: f.cleared_with === null ? null : shown(records.get(f.cleared_with)),
        rule: f.rule_id,
        joined: f.joined,
        links: f.links,
        entities: namedIn(f.entities, senders),
        says: saysItself(f, rules, senders),
        facts: f.facts,
        steps: Object.fromEntries(f.evidence.flatMap((e) => (e.step === undefined ? [] : [[e.id, e.step]]))),
        evidence: evidence.sort((a, b) => b.timeUs - a.timeUs).map(present),
        notShown: Math.max(0, f.count - f.evidence.length),
        kept: f.kept,
        gone: f.evidence.length - evidence.length,
      };
    }),
    moreFindings: Math.max(0, (await countFindings(db, id)) - findings.length),
    moreHistory: Math.max(0, (await countHistory(db, id)) - history.length),
    history: history.map((h) => ({
      at: formatUs(h.at_us),
      who: h.who,
      code: h.code,
      what: historyWords(h.code, h.reason),
      detail: h.detail,
    })),
    tasks: (await tasksOf(db, [id])).map((t) => ({
      id: t.id,
      text: t.text,
      by: t.made_by,
      done: t.done_by === null || t.done_us === null ? null : { by: t.done_by, at: formatUs(t.done_us) },
    })),
    again: await againOf(db, row),
    consequences: (await consequencesOfIncident(db, id)).map((c) => ({
      id: c.id,
      title: c.title,
      state: c.state,
      first: formatUs(c.first_us),
      why: c.parent_why,
    })),
    similar: (await similarIncidents(db, id)).map((o) => ({
      id: o.id,
      title: o.title,
      state: o.state,
      stopped: o.state === "cleared" && o.stopped,
      closeReason: o.close_reason,
      last: formatUs(o.last_us),
      why: likeness(o, senders),
      note: o.note ?? "",
    })),
  };
}

/** The words of a finding whose evidence is no list of records. */
function saysItself(
  f: FindingDetail,
  rules: readonly { readonly rule: Rule; readonly version: number }[],
  senders: SenderDirectory,
): string | null {
  const rule = rules.find((r) => r.rule.id === f.rule_id && r.version === f.rule_version)?.rule;
  return rule === undefined || isOfRecords(rule) ? null : findingTitle(rule, f, senders);
}

async function againOf(db: Queryable, row: IncidentRow) {
  const before = await timesBefore(db, row.rule_id, row.key, row.id);
  return (
    before && { nth: before.times + 1, since: formatUs(before.sinceUs), ended: before.ended.map((e) => ({ ...e })) }
  );
}

const readable = ({ score, parts }: Urgency) => ({ score, parts: parts.map(([why, n]): [string, number] => [why, n]) });

function sitesOf(row: IncidentRow, senders: SenderDirectory): string[] {
  const ids = valuesOfField(row.entities, "sender").map(Number);
  return [...new Set(ids.flatMap((id) => senders.get(id)?.site ?? []))].sort();
}

/** Entities by field and value, as they are said. */
function namedIn(entities: readonly string[], senders: SenderDirectory): { field: string; value: string }[] {
  const fields = [...new Set(entities.map((e) => readEntity(e).field))];
  return fields.flatMap((field) => entityValues(field, entities, senders).map((value) => ({ field, value })));
}

/** What makes an earlier incident like this one, in words. */
function likeness({ rules, shared }: SimilarRow, senders: SenderDirectory): string {
  const names = namedIn(shared, senders).map((e) => e.value);
  return [
    ...(rules.length > 0 ? [`the same rule: ${rules.join(", ")}`] : []),
    ...(names.length > 0 ? [`both name ${names.slice(0, 4).join(", ")}`] : []),
  ].join("; ");
}

/** An incident as the API gives it. */
export function incidentJson(row: IncidentRow, senders: SenderDirectory, nowUs: number): z.input<typeof IncidentJson> {
  return {
    id: row.id,
    title: row.title,
    severity: severityName(row.severity),
    state: row.state,
    stopped: row.state === "cleared" && row.stopped,
    rule: { id: row.rule_id, name: row.rule_name ?? row.rule_id, version: row.rule_version },
    first: formatUs(row.first_us),
    last: formatUs(row.last_us),
    raised: formatUs(row.raised_us),
    ended: row.ended_us === null ? null : formatUs(row.ended_us),
    count: row.count,
    returned: row.returned,
    entities: namedIn(row.entities, senders),
    closeReason: row.close_reason,
    assignedTo: row.owner,
    shelved:
      row.shelved_until_us === null || row.shelved_until_us < nowUs
        ? null
        : { until: formatUs(row.shelved_until_us), by: row.shelved_by ?? "", why: row.shelved_why ?? "" },
    mergedInto: row.merged_into,
    acknowledged:
      row.acknowledged_by === null || row.acknowledged_us === null
        ? null
        : { by: row.acknowledged_by, at: formatUs(row.acknowledged_us) },
    newSinceSeen: row.new_since_seen.flatMap((e) =>
      isEntityCode(e) ? entityValues(readEntity(e).field, [e], senders) : [e],
    ),
    linkedTo: row.linked_to,
    explainedBy: row.parent === null ? null : { id: row.parent, why: row.parent_why },
    folded: row.folded,
    explains: { all: row.explains, lasting: row.explains_lasting },
    urgency: readable(urgencyOf(urgencyFacts(row, nowUs), nowUs)),
    needsAttention: needsAttention(urgencyFacts(row, nowUs)),
    sites: sitesOf(row, senders),
    tags: row.tags,
    techniques: techniquesOf(row.refs, row.techniques),
    addedTechniques: row.techniques,
    kinds: row.kinds,
    moments: (row.moments ?? []).map(formatUs),
  };
}
