import { ordinal } from "@halvik/core/base/text";
import { formatDuration, formatUs, weeklyWindowAt } from "@halvik/core/base/time";
import {
  aboutOf,
  type Episode,
  type EpisodeReport,
  findingTitle,
  type Rule,
  severityOf,
  suspectsOf,
} from "@halvik/core/detect";
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  type Explanation,
  type Heard,
  type HistoryCode,
  type JoinContext,
  type Link,
  placeFinding,
  thingsToCount,
  UNCOUNTED,
} from "@halvik/core/respond/incidents";
import { ITSELF } from "../../kernel/actor.js";
import { isOwnFault } from "../../kernel/db/failure.js";
import { type Queryable, savepoint } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { timesBefore } from "./again-repository.js";
import { insertIncident, latestIncidentOf, reopenIncident } from "./findings-repository.js";
import { type HeardBefore, weekBefore } from "./heard-before.js";
import { relationOf, subjectsAmong, thingsOf } from "./joints.js";
import { explainIncident, joinableIncidents, noteConsequence, unfoldIncident } from "./joints-repository.js";
import type { RecentEvidence } from "./recent-evidence.js";
import { mergeIncidents, shelveIncident } from "./repository.js";

/** What placing goes by. */
export interface Placing {
  readonly db: Queryable;
  readonly rules: ReadonlyMap<string, Rule>;
  readonly directory: SenderDirectory;
  readonly heard: HeardBefore;
  readonly evidence: RecentEvidence;
  readonly nowUs: number;
  /** Whose clock shelving windows go by. */
  readonly zone: string;
}

/** Where a finding was put. */
export interface Placed {
  readonly incident: number;
  /** Why it belongs there, as people read it; empty: it began it. */
  readonly joined: string;
  /** What it shares with what was there, and what each weighs. */
  readonly links: readonly Link[];
  /** It gives the incident its name. */
  readonly leads: boolean;
  /** Says in the history that it came. @param finding its number */
  readonly tell: (finding: number) => Promise<void>;
}

/** Puts a new finding into the incident it belongs to, or opens one for it. */
export async function place(placing: Placing, rule: Rule, report: EpisodeReport): Promise<Placed> {
  const { db, directory, nowUs } = placing;
  const { episode: e, ruleId, key } = report;
  const earlier = await latestIncidentOf(db, ruleId, key);
  const finding = {
    ...e,
    rule: ruleId,
    key,
    aboutSender: rule.key.includes("sender"),
    suspects: suspectsOf(rule, { ...e, key }),
    about: aboutOf(rule, key),
  };
  const incidents = await joinableIncidents(db, e.firstUs, e.lastUs, nowUs, placing.evidence.sharing(e), (id, k) => {
    const known = placing.rules.get(id);
    return known === undefined ? [] : aboutOf(known, k);
  });
  const things = thingsOf(directory);
  const counted = thingsToCount(finding, incidents, things);
  const context: JoinContext = {
    things,
    heard: await heardBefore(placing, counted, weekBefore(e.firstUs, incidents)),
    subjectsOf: subjectsAmong(placing.rules),
    explainedBy: (id) => placing.rules.get(id)?.explainedBy ?? [],
    relation: (cause, consequence) => relationOf(directory, cause, consequence),
  };
  const found = placeFinding(finding, earlier, incidents, context);
  const say = (incident: number, code: HistoryCode, detail: string) => async (id: number) => {
    await addEvent(db, incident, nowUs, ITSELF, code, detail, null, id);
    for (const consequence of found.consequences) await takeUnder(placing, consequence, incident);
    for (const covered of found.covers) await takeIn(placing, covered, incident, rule.name);
  };
  switch (found.to) {
    case "returned":
      await reopenIncident(db, found.incident, true);
      return {
        incident: found.incident,
        joined: "",
        links: [],
        leads: false,
        tell: say(found.incident, "returned", sayReturn(e, earlier!.endedUs!)),
      };
    case "joined":
      if (found.reopens) await reopenIncident(db, found.incident, found.returns);
      if (found.unfolds) await unfoldIncident(db, found.incident);
      return {
        incident: found.incident,
        joined: found.reason,
        links: found.links.filter((l) => l.weight > 0),
        leads: false,
        tell: say(found.incident, found.returns ? "returned" : "joined", `“${rule.name}”: ${found.reason}`),
      };
    case "new":
      return begin(placing, rule, report, found.again, found.cause, say);
  }
}

/** How widely things were known; where that cannot be read (a day is dropped just now), it is not, and the step goes on. */
async function heardBefore(
  { db, heard, directory }: Placing,
  things: readonly string[],
  beforeUs: number,
): Promise<(thing: string) => Heard> {
  let known = (_: string): Heard => UNCOUNTED;
  await savepoint(
    db,
    async () => {
      known = await heard.of(db, things, beforeUs, directory);
    },
    isOwnFault,
  );
  return known;
}

async function begin(
  placing: Placing,
  rule: Rule,
  { episode: e, key }: EpisodeReport,
  again: number | null,
  cause: Explanation | null,
  say: (incident: number, code: HistoryCode, detail: string) => (finding: number) => Promise<void>,
): Promise<Placed> {
  const { db, directory, nowUs } = placing;
  const incident = await insertIncident(db, {
    title: findingTitle(rule, { ...e, key }, directory),
    severity: severityOf(rule, e),
    ruleId: rule.id,
    key,
    episode: e,
    linkedTo: again,
  });
  const before = again === null ? null : await timesBefore(db, rule.id, key, incident);
  const often =
    before === null ? "" : `; again, the ${ordinal(before.times + 1)} since ${formatUs(before.sinceUs).slice(0, 10)}`;
  const raised = `${e.count === 1 ? "one record" : `${e.count} records in ${formatDuration(e.lastUs - e.firstUs)}`} met “${rule.name}”${often}`;
  const shelf = weeklyWindowAt(rule.shelve, e.raisedUs, placing.zone);
  if (shelf !== null) await shelveIncident(db, incident, shelf.untilUs, `the rule “${rule.name}”`, shelf.window.why);
  if (cause !== null) {
    await explainIncident(db, incident, cause.incident, cause.reason);
    await noteConsequence(db, cause.incident, e.entities);
  }
  return {
    incident,
    joined: "",
    links: [],
    leads: true,
    tell: async (finding) => {
      await say(incident, "raised", raised)(finding);
      if (cause !== null) {
        await addEvent(db, incident, nowUs, ITSELF, "explained", `incident ${cause.incident}: ${cause.reason}`);
        const title = findingTitle(rule, { ...e, key }, directory);
        await addEvent(db, cause.incident, nowUs, ITSELF, "explains", `incident ${incident}: ${title}`, null, finding);
      }
      if (shelf !== null)
        await addEvent(db, incident, nowUs, ITSELF, "shelved", `until ${formatUs(shelf.untilUs)}: ${shelf.window.why}`);
    },
  };
}

/** A cause that comes after its consequences takes all of them under it. */
async function takeUnder({ db, nowUs }: Placing, { incident, reason }: Explanation, cause: number): Promise<void> {
  if (incident === cause) return;
  await explainIncident(db, incident, cause, reason);
  await addEvent(db, incident, nowUs, ITSELF, "explained", `incident ${cause}: ${reason}`);
  await addEvent(db, cause, nowUs, ITSELF, "explains", `incident ${incident}: ${reason}`);
}

/** An incident whose evidence is all in a finding of another says nothing of its own. */
async function takeIn({ db, nowUs }: Placing, covered: number, into: number, rule: string): Promise<void> {
  const why = `the same records are evidence of “${rule}”`;
  await mergeIncidents(db, covered, into, why, false);
  await addEvent(db, covered, nowUs, ITSELF, "merged", `into incident ${into}: ${why}`);
  await addEvent(db, into, nowUs, ITSELF, "took-in", `incident ${covered}: ${why}`);
}

function sayReturn(e: Episode, endedUs: number): string {
  return `${e.count === 1 ? "one record" : `${e.count} records, the first`} after ${formatDuration(Math.max(0, e.firstUs - endedUs))}`;
}
