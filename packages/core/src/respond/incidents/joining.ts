import { type EpochUs, formatDuration, US_PER_HOUR, US_PER_MINUTE } from "../../base/time/index.js";
import { entityCode, readEntity } from "../../model/entity/index.js";

/** `docs/semantics.md` 25. */
const NEAR_US = 30 * US_PER_MINUTE;
const SPAN_US = 24 * US_PER_HOUR;
/** A cause and what follows from it lie closer together. */
const CAUSE_US = 15 * US_PER_MINUTE;
const WEAK_LINKS = 2;

/** Names that everybody's machines have: the same one twice says little. */
const EVERYBODY = ["root", "admin", "administrator", "administrators", "guest", "test", "user", "system", "backup"];
/** Fields whose values are one kind of thing, whichever role it has: who attacked may be where the data went. */
const ADDRESSES = ["src", "dst", "address"];
const STRONG = ["user", "interface", ...ADDRESSES];

/** What joining asks of a finding, and of the evidence of an incident. Entities stand as codes. */
export interface Joinable {
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  readonly entities: readonly string[];
}

export interface JoinableIncident extends Joinable {
  readonly id: number;
  /** Rules whose findings it holds. */
  readonly rules: readonly string[];
}

/** A finding that looks for its incident. */
export interface JoiningFinding extends Joinable {
  readonly rule: string;
  /** Its rule tells senders apart: the same rule on the same sender is one trouble of that sender. */
  readonly aboutSender: boolean;
}

/** Where a finding belongs, and why: said to people as it stands here. */
export interface Joint {
  readonly incident: number;
  /** "cause": the incident explains the finding; "explains": the other way round. */
  readonly strength: "cause" | "explains" | "strong" | "weak";
  readonly reason: string;
}

export interface JoinContext {
  /** Things that too many have to do with: relays, resolvers, gateways. They join nothing. */
  readonly isHub: (entity: string) => boolean;
  /** Rules whose open findings explain those of a rule. */
  readonly explainedBy: (rule: string) => readonly string[];
  /** How two senders hang together: the second is reached through the first, or they stand at one site; null: they do not. */
  readonly relation: (cause: string, consequence: string) => string | null;
  /** A value as people read it. */
  readonly say: (field: string, value: string) => string;
}

/**
 * The incident that a finding belongs to (`docs/semantics.md` 25): one that explains it or that it explains, or one with which it shares an
 * entity near enough in time: one telling link, or two weak ones. The most links win, then the most recent evidence.
 */
export function findJoint(
  finding: JoiningFinding,
  incidents: readonly JoinableIncident[],
  context: JoinContext,
): Joint | null {
  const joints = incidents.flatMap((incident) => {
    const joint =
      explainedBy(finding, incident, context) ??
      explains(finding, incident, context) ??
      linkOf(finding, incident, context);
    return joint === null ? [] : [{ ...joint, lastUs: incident.lastUs }];
  });
  joints.sort((a, b) => b.weight - a.weight || b.lastUs - a.lastUs || a.incident - b.incident);
  const best = joints[0];
  return best === undefined ? null : { incident: best.incident, strength: best.strength, reason: best.reason };
}

/** Incidents that hold nothing but what a finding explains: they are its consequences. */
export const consequencesOf = (
  finding: JoiningFinding,
  incidents: readonly JoinableIncident[],
  context: JoinContext,
): Joint[] =>
  incidents.flatMap((incident) =>
    incident.rules.every((r) => context.explainedBy(r).includes(finding.rule))
      ? (explains(finding, incident, context) ?? [])
      : [],
  );

type Weighed = Joint & { readonly weight: number };

function explainedBy(finding: JoiningFinding, incident: JoinableIncident, context: JoinContext): Weighed | null {
  if (!incident.rules.some((r) => context.explainedBy(finding.rule).includes(r))) return null;
  const relation = relationOf(incident, finding, context);
  return relation === null
    ? null
    : { incident: incident.id, strength: "cause", reason: `explained by it: ${relation}`, weight: 1_000 };
}

function explains(finding: JoiningFinding, incident: JoinableIncident, context: JoinContext): Weighed | null {
  if (!incident.rules.some((r) => context.explainedBy(r).includes(finding.rule))) return null;
  const relation = relationOf(finding, incident, context);
  return relation === null
    ? null
    : { incident: incident.id, strength: "explains", reason: `it explains this: ${relation}`, weight: 900 };
}

function relationOf(cause: Joinable, consequence: Joinable, context: JoinContext): string | null {
  if (apart(cause, consequence) > CAUSE_US) return null;
  for (const one of valuesOf(consequence.entities, "sender", "host"))
    for (const other of valuesOf(cause.entities, "sender")) {
      const relation = context.relation(other, one);
      if (relation !== null) return relation;
    }
  return null;
}

function linkOf(finding: JoiningFinding, incident: JoinableIncident, context: JoinContext): Weighed | null {
  const gap = apart(finding, incident);
  if (gap > NEAR_US) return null;
  // what lasts may last; but what begins later than this is no part of the same story
  if (Math.abs(finding.firstUs - incident.firstUs) > SPAN_US) return null;
  const known = new Map(incident.entities.map((e) => [sameThing(e), e]));
  const links = [...new Set(finding.entities.map(sameThing))].filter(
    (e) => known.has(e) && !context.isHub(known.get(e)!),
  );
  const sameTrouble = finding.aboutSender && incident.rules.includes(finding.rule);
  const strong = links.filter((l) => isTelling(l) || (sameTrouble && readEntity(l).field === "sender"));
  if (strong.length === 0 && links.length < WEAK_LINKS) return null;
  const shown = (strong.length > 0 ? strong : links).slice(0, 2).map((link) => {
    const { field, value } = readEntity(known.get(link)!);
    return `same ${ADDRESSES.includes(field) ? "address" : field} ${context.say(field, value)}`;
  });
  return {
    incident: incident.id,
    strength: strong.length > 0 ? "strong" : "weak",
    reason: `${shown.join(", ")}, ${gap === 0 ? "at the same time" : `${formatDuration(gap)} apart`}`,
    weight: strong.length * 10 + links.length,
  };
}

function isTelling(entity: string): boolean {
  const { field, value } = readEntity(entity);
  return STRONG.includes(field) && !(field === "user" && EVERYBODY.includes(value.toLowerCase()));
}

/** An entity without the role it has. */
function sameThing(entity: string): string {
  const { field, value } = readEntity(entity);
  return entityCode(ADDRESSES.includes(field) ? "address" : field, value.toLowerCase());
}

/** Time between two stretches; 0 when they touch. */
const apart = (a: Joinable, b: Joinable): number => Math.max(0, a.firstUs - b.lastUs, b.firstUs - a.lastUs);

const valuesOf = (entities: readonly string[], ...fields: readonly string[]): string[] =>
  entities.map(readEntity).flatMap(({ field, value }) => (fields.includes(field) ? [value] : []));
