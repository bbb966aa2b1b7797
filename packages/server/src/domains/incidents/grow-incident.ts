import { formatDuration, US_PER_DAY } from "@halvik/core/base/time";
import {
  type Episode,
  type EpisodeReport,
  entityValues,
  findingTitle,
  type Rule,
  severityOf,
} from "@halvik/core/detect";
import { isEntityCode, readEntity } from "@halvik/core/model/entity";
import { type Severity, severityName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { newSinceSeen } from "@halvik/core/respond/incidents";
import { ITSELF } from "../../kernel/actor.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import {
  clearIncident,
  type FindingRow,
  growIncident,
  type HeldBackRow,
  hasOpenFinding,
  heldBackSince,
  incidentToGrow,
  isOpen,
  keepHeldBack,
  type Place,
} from "./findings-repository.js";
import { NOTED_APART_US, noteLateHeldBack } from "./note-late.js";
import { splitIncident } from "./repository.js";

/** Entities an incident lists. */
const MOST_ENTITIES = 200;
/** How many of them one line of its history names. */
const MOST_SAID = 12;

/** What of an incident's growth is not told by the finding itself. */
export interface Growth {
  /** It gives the incident its name. */
  readonly leads: boolean;
  /** It is the first finding of a new incident: all of it is told by that. */
  readonly begins: boolean;
}

/** Lets an incident grow by a finding, and says in its history what is new about it: worse, another thing, or new since a person has seen it. */
export async function grow(
  db: Queryable,
  id: number,
  rule: Rule,
  { episode: e, key }: EpisodeReport,
  change: Growth,
  directory: SenderDirectory,
  nowUs: number,
): Promise<void> {
  const row = await incidentToGrow(db, id, rule.id);
  if (!row) return;
  const entities = [...new Set([...row.entities, ...e.entities])].slice(0, MOST_ENTITIES);
  // what is not listed for want of room is not told again and again
  const fresh = change.begins ? [] : entities.filter((one) => !row.entities.includes(one));
  const severity = severityOf(rule, e);
  const now = Math.min(severity, row.severity) as Severity;
  // what is worst gives the incident its name
  const leads = change.leads || rule.id === row.ruleId || severity < row.severity;
  const extent = { severity: now, entities, rules: row.rules, lastUs: Math.max(row.lastUs, e.lastUs) };
  const sinceSeen =
    row.seen === null ? [] : [...new Set([...row.newSinceSeen, ...newSinceSeen(row.seen, extent, row.lastUs)])];
  const title = leads
    ? findingTitle(
        rule,
        // its own come first: whom a finding names first is whom it is about
        {
          ...e,
          key,
          count: row.ofRule,
          entities: rule.id === row.ruleId ? [...new Set([...e.entities, ...entities])] : e.entities,
        },
        directory,
      )
    : row.title;
  await growIncident(db, id, {
    episode: e,
    entities,
    title,
    newSinceSeen: sinceSeen,
    severity,
    ruleId: leads ? rule.id : row.ruleId,
    key,
  });
  if (!change.begins && severity < row.severity)
    await addEvent(
      db,
      id,
      nowUs,
      ITSELF,
      "worse",
      `${severityName(row.severity)} → ${severityName(severity)}: ${title}`,
    );
  const untold = [...new Set([...row.untold, ...fresh])].slice(0, MOST_ENTITIES);
  if (untold.length > 0 && nowUs - row.toldUs >= NOTED_APART_US) await noteNamed(db, { id, untold }, directory, nowUs);
  else if (fresh.length > 0) await keepHeldBack(db, id, untold);
  const news = sinceSeen.filter((n) => !row.newSinceSeen.includes(n));
  if (news.length > 0) await addEvent(db, id, nowUs, ITSELF, "new-since-seen", sayEntities(news, directory));
}

/** Says what incidents have come to name, and what came late for them, as far as it was held back. */
export async function noteHeldBack(db: Queryable, directory: SenderDirectory, nowUs: number): Promise<void> {
  for (const row of await heldBackSince(db, nowUs - NOTED_APART_US)) await noteNamed(db, row, directory, nowUs);
  await noteLateHeldBack(db, nowUs);
}

async function noteNamed(db: Queryable, { id, untold }: HeldBackRow, directory: SenderDirectory, nowUs: number) {
  await addEvent(db, id, nowUs, ITSELF, "named", sayEntities(untold, directory));
  await keepHeldBack(db, id, [], nowUs);
}

function sayEntities(news: readonly string[], directory: SenderDirectory): string {
  const names = news.flatMap((n) => (isEntityCode(n) ? entityValues(readEntity(n).field, [n], directory) : [n]));
  const more = names.length - MOST_SAID;
  return names.slice(0, MOST_SAID).join(", ") + (more > 0 ? ` and ${more} more` : "");
}

/** Ends an incident of which nothing lasts any more. */
export async function noteCleared(
  db: Queryable,
  id: number,
  e: Episode,
  directory: SenderDirectory,
  nowUs: number,
): Promise<void> {
  if (e.clearedBy === "hand" || (await hasOpenFinding(db, id))) return;
  if (!(await clearIncident(db, id, e.clearedUs!))) return;
  for (const row of await heldBackSince(db, Number.MAX_SAFE_INTEGER, id)) await noteNamed(db, row, directory, nowUs);
  await noteLateHeldBack(db, nowUs, id);
  await addEvent(db, id, nowUs, ITSELF, "cleared", sayCleared(e));
}

function sayCleared(e: Episode): string {
  switch (e.clearedBy) {
    case "quiet":
      return `stopped, not judged: quiet for ${formatDuration(e.clearedUs! - e.lastUs)}`;
    case "span":
      return "stopped, not judged: a day is full, what comes now is another incident";
    case "condition":
      return "the value is ordinary again";
    default:
      return "a clearing record came";
  }
}

/**
 * Takes a finding that goes on beyond a day of its incident out into one of its own (`docs/semantics.md` 25), unless it really lasts, or a
 * person has put it there. @returns where it lies now
 */
export async function keepWithinDay(
  db: Queryable,
  finding: FindingRow,
  { incident, mayLeaveUs }: Place,
  rule: Rule,
  { episode: e, key }: EpisodeReport,
  directory: SenderDirectory,
  nowUs: number,
): Promise<number> {
  const lasts = rule.clear.by === "record" || rule.clear.by === "condition";
  if (mayLeaveUs === null || lasts || e.lastUs - mayLeaveUs <= US_PER_DAY) return incident;
  const title = findingTitle(rule, { ...e, key }, directory);
  const wasOpen = await isOpen(db, incident);
  const own = await splitIncident(db, incident, [finding.id], { title, severity: severityOf(rule, e) }, false);
  if (own === null) return incident;
  if (wasOpen && !(await hasOpenFinding(db, incident)))
    await addEvent(db, incident, nowUs, ITSELF, "cleared", `stopped, not judged: it goes on in incident ${own}`);
  await addEvent(db, incident, nowUs, ITSELF, "goes-on", `“${rule.name}” goes on beyond a day, in incident ${own}`);
  await addEvent(
    db,
    own,
    nowUs,
    ITSELF,
    "raised",
    `“${rule.name}” goes on beyond a day of incident ${incident}`,
    null,
    finding.id,
  );
  return own;
}
