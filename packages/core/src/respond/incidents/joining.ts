import { type EpochUs, formatDuration, US_PER_DAY, US_PER_MINUTE } from "../../base/time/index.js";
import { readEntity, valuesOfField } from "../../model/entity/index.js";
import {
  ENOUGH,
  footholdLink,
  type Heard,
  isHub,
  isSomebody,
  type Link,
  linkOf,
  NEAR_US,
  SUSPECTED,
  sayLink,
} from "./links.js";
import type { Things } from "./things.js";

/** A cause and what follows from it lie closer together. */
const CAUSE_US = 15 * US_PER_MINUTE;
/** What is left of a device in common that only tells of both. */
const REPORTS = 0.3;
/** What it is worth when two of one device are about the same. Our own scale: no source. */
const SAME_SUBJECT = 0.25;
/** By how much each further name in common says less than the one before. Our own scale: no source. */
const LIST_OF_NAMES = 3;
/** Who did it, to whom, and one more. Our own scale: no source. */
const MOST_OF_A_DEED = 3;
/** How many links are named as the reason. */
const NAMED = 2;

/** What joining asks of a finding, and of the evidence of an incident. Entities stand as codes. */
export interface Joinable {
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  readonly entities: readonly string[];
  /** Those of them that it is about: the values of keys. All others are named along. */
  readonly about: readonly string[];
  /** Those of them that it suspects: they are no hubs to it. */
  readonly suspects: readonly string[];
}

export interface JoinableIncident extends Joinable {
  readonly id: number;
  /** When it was over; null: it is not. */
  readonly endedUs: EpochUs | null;
  /** Rules whose findings it holds. */
  readonly rules: readonly string[];
  /** Those of them of which a finding lasts. */
  readonly lasting: readonly string[];
  /** Rule and key of its findings, see `troubleOf`. */
  readonly troubles: readonly string[];
  /** Those of them that ended because nothing came any more. */
  readonly stopped: readonly string[];
  /** Out of the queue now, by a person or its rule. */
  readonly shelved: boolean;
  /** The incident that explains it. */
  readonly parent: number | null;
  /** Of the records listed as evidence of a finding of it, or of the one that looks for its incident if those are fewer: the part that is evidence of both. */
  readonly sharedRecords: number;
  /** The part of all records listed as its evidence that is evidence of that finding too. */
  readonly covered: number;
}

/** A finding that looks for its incident. */
export interface JoiningFinding extends Joinable {
  readonly rule: string;
  readonly key: string;
  /** Its rule tells senders apart: the same rule on the same sender is one trouble of that sender. */
  readonly aboutSender: boolean;
}

/** Where a finding belongs, and why: said to people as it stands here. */
export interface Joint {
  readonly incident: number;
  readonly reason: string;
  readonly links: readonly Link[];
}

/** An incident that explains another, or that is explained. */
export interface Explanation {
  readonly incident: number;
  readonly reason: string;
}

export interface JoinContext {
  /** How widely a thing was known in the week before; asked only of what two share. */
  readonly heard: (thing: string) => Heard;
  /** What a rule is about as few others are: two of one device that are about the same belong together sooner. */
  readonly subjectsOf: (rule: string) => readonly string[];
  /** Rules whose open findings explain those of a rule. */
  readonly explainedBy: (rule: string) => readonly string[];
  /** How two senders hang together: the second is reached through the first, or they stand at one site; null: they do not. */
  readonly relation: (cause: string, consequence: string) => string | null;
  readonly things: Things;
}

/** A rule and a key of it, as one text. */
export const troubleOf = (rule: string, key: string): string => `${rule} ${key}`;

/**
 * The incident that a finding belongs to (`docs/semantics.md` 25): one near in time with which it shares things that are rare enough. What
 * weighs most wins, then the most recent evidence.
 */
export function findJoint(
  finding: JoiningFinding,
  incidents: readonly JoinableIncident[],
  context: JoinContext,
): Joint | null {
  let best: (Joint & { weight: number; lastUs: EpochUs }) | null = null;
  for (const incident of incidents) {
    if (!mayJoin(finding, incident)) continue;
    const links = linksBetween(finding, incident, context);
    const weight = links.reduce((sum, l) => sum + l.weight, 0);
    if (weight < ENOUGH) continue;
    const isBetter =
      best === null ||
      weight - best.weight > EQUAL ||
      (Math.abs(weight - best.weight) <= EQUAL &&
        (incident.lastUs > best.lastUs || (incident.lastUs === best.lastUs && incident.id < best.incident)));
    if (isBetter)
      best = {
        incident: incident.id,
        reason: sayJoint(finding, incident, links),
        links,
        weight,
        lastUs: incident.lastUs,
      };
  }
  return best && { incident: best.incident, reason: best.reason, links: best.links };
}

/** Sums of weights that differ by less are the same. */
const EQUAL = 1e-9;

/**
 * The things of a finding of which it has to be known how common they are: those that it shares with any of these incidents, and whom it
 * names where one of them may have let in who did it.
 */
export function thingsToCount(finding: Joinable, incidents: readonly Joinable[], things: Things): string[] {
  const own = things.of(finding);
  const known = incidents.map((i) => things.of(i));
  const mayBeIntruder = saysNotWho(own) && incidents.some((i) => hasLetIn(i, things));
  return [...own.keys()].filter(
    (thing) => known.some((k) => k.has(thing)) || (mayBeIntruder && readEntity(thing).field === "user"),
  );
}

/** Everything two share, what weighs most first. What weighs nothing is there too: it is why they were not joined. */
export function linksBetween(finding: JoiningFinding, incident: JoinableIncident, context: JoinContext): Link[] {
  const gap = apart(finding, incident);
  const own = context.things.of(finding);
  const known = context.things.of(incident);
  const shared = [...own.keys()].filter((thing) => known.has(thing));
  const suspected = new Set([...finding.suspects, ...incident.suspects].map(context.things.one));
  const hosts = shared.filter((t) => readEntity(t).field === "host");
  const foothold = isFoothold(finding, incident, context);
  const links = shared
    // ports of different devices have the same names
    .filter((thing) => readEntity(thing).field !== "interface" || hosts.length > 0)
    .map((thing) => {
      const [a, b] = [own.get(thing)!, known.get(thing)!];
      if (foothold && hosts.includes(thing) && !isHub(context.heard(thing))) return footholdLink(thing, gap, b.part);
      // neither is about that device: it only tells of both
      const reports = hosts.includes(thing) && !a.isMain && !b.isMain;
      const part = Math.min(a.part, b.part) * (reports ? REPORTS : 1);
      return linkOf(thing, suspected.has(thing) ? SUSPECTED : context.heard(thing), gap, part);
    });
  const weighed = oncePerList(links);
  const device = hosts.some((t) => own.get(t)!.isMain && known.get(t)!.isMain);
  const subject = device ? subjectOfBoth(finding, incident, context) : undefined;
  // what is told of a device alone is another matter when others did it
  const byOthers = isDeed(own) && peopleOf(known).length > 0 && !shared.some(isSomebody);
  if (subject !== undefined)
    weighed.push({
      field: "subject",
      value: subject,
      ...(byOthers ? OTHERS : { weight: SAME_SUBJECT, why: "of one device, about the same" }),
    });
  const { sharedRecords } = incident;
  if (sharedRecords > 0)
    weighed.push({ field: "records", value: "", weight: sharedRecords, why: "the same records are evidence of both" });
  const rule = sameRule(finding, incident);
  if (rule !== null) {
    const ofDeviceAlone = finding.about.every((e) => readEntity(context.things.one(e)).field === "host");
    weighed.push({ field: "rule", value: finding.rule, ...(byOthers && ofDeviceAlone ? OTHERS : rule) });
  }
  return weighed.sort((a, b) => b.weight - a.weight || (a.field < b.field ? -1 : 1));
}

/** Names that are tried come from lists that go round: the second in common says less than the first, the third less again. */
function oncePerList(links: readonly Link[]): Link[] {
  const names = links.filter((l) => l.field === "user" && l.weight > 0).sort((a, b) => b.weight - a.weight);
  return links.map((link) => {
    const place = names.indexOf(link);
    return place < 1
      ? link
      : { ...link, weight: link.weight / LIST_OF_NAMES ** place, why: `${link.why}; one more name` };
  });
}

/**
 * Whether what a finding tells may be the work of whoever an incident says was let in: it came after, and nobody known before is in it. On
 * Linux an account that is made, or put into a group, has a record that does not say who did it.
 */
const isFoothold = (finding: JoiningFinding, incident: JoinableIncident, { things, heard }: JoinContext): boolean =>
  finding.firstUs >= incident.firstUs &&
  hasLetIn(incident, things) &&
  saysNotWho(things.of(finding)) &&
  peopleOf(things.of(finding)).every((person) => isUnknown(heard(person)));

/** Whether it suspects somebody who was let in: after guessing, or as an account made and used within hours. */
const hasLetIn = (incident: Joinable, things: Things): boolean =>
  incident.suspects.some((s) => isSomebody(things.one(s)));

/** Whether it names somebody, and no address from which it was done. */
const saysNotWho = (own: ReadonlyMap<string, unknown>): boolean =>
  isDeed(own) && ![...own.keys()].some((thing) => readEntity(thing).field === "address");

const isUnknown = ({ by, uncounted, declared }: Heard): boolean =>
  by === 0 && uncounted === undefined && declared === undefined;

const OTHERS = { weight: 0, why: "by other users" };

function sameRule(finding: JoiningFinding, incident: JoinableIncident): Pick<Link, "weight" | "why"> | null {
  if (incident.troubles.includes(troubleOf(finding.rule, finding.key)))
    return { weight: 1, why: "the same rule, of the same" };
  if (finding.aboutSender && incident.rules.includes(finding.rule) && sharesSender(finding, incident))
    return { weight: ENOUGH, why: "the same rule, on the same sender" };
  return null;
}

const peopleOf = (things: ReadonlyMap<string, unknown>): string[] => [...things.keys()].filter(isSomebody);
/** Whether it tells what somebody did: more names than a deed has people in it are accounts that were tried. */
function isDeed(things: ReadonlyMap<string, unknown>): boolean {
  const people = peopleOf(things).length;
  return people > 0 && people <= MOST_OF_A_DEED;
}

const subjectOfBoth = (
  f: JoiningFinding,
  { rules }: JoinableIncident,
  { subjectsOf }: JoinContext,
): string | undefined => {
  const own = subjectsOf(f.rule);
  return rules.flatMap(subjectsOf).find((s) => own.includes(s));
};

function mayJoin(finding: JoiningFinding, incident: JoinableIncident): boolean {
  if (apart(finding, incident) > NEAR_US) return false;
  // who shelved it meant what it was: another rule's finding would be hidden with it
  if (incident.shelved && !incident.rules.includes(finding.rule)) return false;
  // what lasts may last; but one happening spans a day
  const untilUs = incident.lasting.length > 0 ? incident.firstUs : incident.lastUs;
  if (Math.max(finding.lastUs, untilUs) - Math.min(finding.firstUs, incident.firstUs) > US_PER_DAY) return false;
  // what stopped, and comes again, is another time
  return incident.endedUs === null || !incident.stopped.includes(troubleOf(finding.rule, finding.key));
}

function sayJoint(finding: Joinable, incident: Joinable, links: readonly Link[]): string {
  const telling = links.filter((l) => l.weight > 0);
  const named = telling.filter((l) => l.field !== "rule");
  const said = named.length > 0 ? named.slice(0, NAMED).map(sayLink).join(", ") : "the same again";
  const gap = apart(finding, incident);
  return `${said}, ${gap === 0 ? "at the same time" : `${formatDuration(gap)} apart`}`;
}

/** The incident whose open finding explains this one; not one of its own consequences. */
export function findCause(
  finding: JoiningFinding,
  incidents: readonly JoinableIncident[],
  context: JoinContext,
): Explanation | null {
  const causes = context.explainedBy(finding.rule);
  if (causes.length === 0) return null;
  for (const incident of [...incidents].sort((a, b) => b.lastUs - a.lastUs || a.id - b.id)) {
    if (!incident.rules.some((r) => causes.includes(r))) continue;
    const relation = relationOf(
      incident,
      finding,
      incident.lasting.some((r) => causes.includes(r)),
      context,
    );
    // a cause may itself be explained: what stands at the top holds all of it
    if (relation !== null) return { incident: incident.parent ?? incident.id, reason: `explained by it: ${relation}` };
  }
  return null;
}

/** Incidents that hold nothing but what a finding explains: they are its consequences. */
export const consequencesOf = (
  finding: JoiningFinding,
  incidents: readonly JoinableIncident[],
  context: JoinContext,
): Explanation[] =>
  incidents.flatMap((incident) => {
    if (incident.parent !== null) return [];
    if (!incident.rules.every((r) => context.explainedBy(r).includes(finding.rule))) return [];
    const relation = relationOf(finding, incident, false, context);
    return relation === null ? [] : [{ incident: incident.id, reason: `it explains this: ${relation}` }];
  });

/** @param lasts the cause goes on: whatever comes later comes while it lasts */
function relationOf(cause: Joinable, consequence: Joinable, lasts: boolean, context: JoinContext): string | null {
  const gap = lasts ? cause.firstUs - consequence.lastUs : apart(cause, consequence);
  if (gap > CAUSE_US) return null;
  for (const one of [...valuesOfField(consequence.entities, "sender"), ...valuesOfField(consequence.entities, "host")])
    for (const other of valuesOfField(cause.entities, "sender")) {
      const relation =
        other === one ? `on the same device, ${context.things.nameOf(Number(one))}` : context.relation(other, one);
      if (relation !== null) return relation;
    }
  return null;
}

const sharesSender = (a: Joinable, b: Joinable): boolean => {
  const senders = new Set(valuesOfField(b.entities, "sender"));
  return valuesOfField(a.entities, "sender").some((s) => senders.has(s));
};

/** Time between two stretches; 0 when they touch. */
export const apart = (a: Joinable, b: Joinable): number => Math.max(0, a.firstUs - b.lastUs, b.firstUs - a.lastUs);
