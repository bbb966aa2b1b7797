import { type EpochUs, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "../../base/time/index.js";
import { SEVERITIES } from "../../model/record/index.js";
import type { SenderDirectory } from "../../model/senders/index.js";
import { type HistoryCode, isUnjudged, needsAttention } from "../incidents/index.js";
import { type FilteredIncident, incidentMatches } from "./incident-filter.js";
import type { Message, NotifiedChange, NotifyRoute } from "./route.js";

/** What happened to an incident, as its history keeps it. */
export interface IncidentChange {
  readonly code: HistoryCode;
  readonly atUs: EpochUs;
}

/** What a route looks at. */
export interface IncidentToNotify extends FilteredIncident {
  /** Of the senders it names. */
  readonly sites: readonly string[];
  readonly groups: readonly string[];
  readonly lastUs: EpochUs;
  /** When it was over; null: it lasts. */
  readonly endedUs: EpochUs | null;
  /** Cleared because nothing came any more. */
  readonly stopped: boolean;
  readonly acknowledged: boolean;
  readonly newSinceSeen: boolean;
  /** It was raised by imported history, and by nothing since. */
  readonly ofHistory: boolean;
  /** The incident that explains it stands for it. */
  readonly folded: boolean;
  readonly shelvedUntilUs: EpochUs | null;
}

/** Evidence older than this when it was found comes from history that was imported: nobody is called for it. */
const HISTORY_US = US_PER_HOUR;
/** A person's closing may be taken back: it is not told before. */
const TAKEN_BACK_WITHIN_US = 30 * US_PER_SECOND;
/** Between two updates of one incident by one route. */
export const UPDATES_APART_US = 15 * US_PER_MINUTE;
/** So many messages due at once by one route go into one. */
export const TOGETHER_FROM = 4;

/** News of an incident that come without evidence of its own. */
const WITHOUT_EVIDENCE: readonly HistoryCode[] = ["still-lasts", "outlasts", "explains"];

/** Whether a change was found in imported history. */
export const isHistory = (
  incident: Pick<IncidentToNotify, "lastUs" | "endedUs" | "ofHistory">,
  change: IncidentChange,
): boolean =>
  WITHOUT_EVIDENCE.includes(change.code)
    ? incident.ofHistory
    : change.atUs - Math.max(incident.lastUs, incident.endedUs ?? 0) > HISTORY_US;

/** What a change in an incident's history tells; null: nothing others need to hear. */
export function notifiedChangeOf(code: HistoryCode): NotifiedChange | null {
  switch (code) {
    case "raised":
    case "returned":
    case "outlasts":
      return "raise";
    case "still-lasts":
    case "new-since-seen":
    case "joined":
    case "took-in":
    case "worse":
    case "named":
    case "explains":
      return "update";
    case "cleared":
    case "closed":
      return "clear";
    default:
      return null;
  }
}

/** Whether a route is for an incident that is told at a moment at all. @param directory names that its filter may say */
export function concerns(
  route: NotifyRoute,
  incident: IncidentToNotify,
  directory: SenderDirectory,
  nowUs: EpochUs,
): boolean {
  const any = <T>(wanted: readonly T[], test: (value: T) => boolean) => wanted.length === 0 || wanted.some(test);
  const said = [incident.title, ...incident.entities.map((e) => e.value)].join("\n").toLowerCase();
  return (
    route.enabled &&
    incident.severity <= SEVERITIES.indexOf(route.severity) &&
    any(route.rules, (id) => incident.rules.some((r) => r.id === id)) &&
    any(route.tags, (tag) => incident.tags.some((t) => t.toLowerCase() === tag.toLowerCase())) &&
    any(route.about, (text) => said.includes(text.toLowerCase())) &&
    any(route.sites, (site) => incident.sites.includes(site)) &&
    any(route.groups, (group) => incident.groups.includes(group)) &&
    (route.where === "" || incidentMatches(route.where, incident, { directory, nowUs, zone: route.zone }))
  );
}

/** What a route has said of an incident, and has yet to say. */
export interface SentBefore {
  readonly raise: "never" | "waiting" | "sent";
  /** It was told that it is over, and nothing since. */
  readonly over: boolean;
  readonly updateWaits: boolean;
  readonly lastSentUs: EpochUs | null;
}

/** When a change is to be told; or why it is not, in words; `cancels`: the raise that waits is not sent either. */
export type Plan =
  | { readonly tell: NotifiedChange; readonly dueUs: EpochUs }
  | { readonly tell: null; readonly why: string; readonly cancels: boolean };

const not = (why: string, cancels = false): Plan => ({ tell: null, why, cancels });

/**
 * Whether and when a route tells of a change. Who was told nothing yet is told of a raise, whatever the change: the incident has become what
 * the route is for. Updates are kept apart, but that it is worse is told at once; a clear is told to those who were told of the raise.
 */
export function planNotification(
  route: NotifyRoute,
  incident: IncidentToNotify,
  change: IncidentChange,
  before: SentBefore,
  directory: SenderDirectory,
): Plan {
  const tell = notifiedChangeOf(change.code);
  if (tell === null || !concerns(route, incident, directory, change.atUs)) return not("not for this notification");
  if (incident.folded && tell !== "clear") return not("covered by the incident that explains it");
  // a route that tells no raises has none to wait for
  const raise = route.tells.includes("raise") ? before.raise : "sent";
  if (tell === "clear") {
    if (raise === "never") return not("its raise was not sent");
    if (raise === "waiting") return not("over before it was sent", true);
  } else if (isHistory(incident, change)) return not("its evidence is of history");
  if (!route.tells.includes(tell)) return not(`this notification does not send ${tell}s`);
  if (tell === "raise") return { tell, dueUs: change.atUs + route.delaySeconds * US_PER_SECOND };
  if (tell === "clear") return { tell, dueUs: change.atUs + (change.code === "cleared" ? 0 : TAKEN_BACK_WITHIN_US) };
  // it has become what this notification is for
  if (raise === "never" && !(before.over && change.code === "still-lasts"))
    return { tell: "raise", dueUs: change.atUs + route.delaySeconds * US_PER_SECOND };
  if (raise === "waiting") return not("its raise waits and will say it");
  // worse does not wait
  if (change.code === "worse") return { tell, dueUs: change.atUs };
  if (before.updateWaits) return not("an update waits already and will say it");
  return { tell, dueUs: Math.max(change.atUs, (before.lastSentUs ?? 0) + UPDATES_APART_US) };
}

/** A message that follows a raise as long as nobody acknowledges it. */
export interface FollowUp {
  readonly tells: "reminder" | "escalation";
  /** Whom it goes to, see `whomOf`. */
  readonly step: number;
  readonly dueUs: EpochUs;
}

/** What follows a raise that is due then: the first reminder, and each escalation. */
export const followUpsOf = (route: NotifyRoute, raiseUs: EpochUs): FollowUp[] => [
  ...route.escalate.map(
    ({ afterMinutes }, i): FollowUp => ({
      tells: "escalation",
      step: i + 1,
      dueUs: raiseUs + afterMinutes * US_PER_MINUTE,
    }),
  ),
  ...nextReminder(route, raiseUs, 0),
];

const MOST_REMINDERS = 100;

/** The reminder after one that was sent then; none where the route sends none, or has sent enough. @param sent reminders so far */
export const nextReminder = (route: NotifyRoute, lastUs: EpochUs, sent: number): FollowUp[] =>
  route.repeatMinutes === 0 || sent >= MOST_REMINDERS
    ? []
    : [{ tells: "reminder", step: 0, dueUs: lastUs + route.repeatMinutes * US_PER_MINUTE }];

/** Why a message that waited is not sent after all; null: it is. */
export function reasonToDrop(tell: Message, incident: IncidentToNotify, nowUs: EpochUs): string | null {
  if (tell === "clear") return incident.state === "open" ? "open again meanwhile" : null;
  const shelved = incident.shelvedUntilUs !== null && incident.shelvedUntilUs > nowUs;
  if (shelved) return "shelved";
  if (tell === "update") return isUnjudged(incident) ? null : "over meanwhile";
  if (needsAttention({ ...incident, merged: false, shelved })) return null;
  return isUnjudged(incident) ? "seen meanwhile" : "over meanwhile";
}

const FIRST_RETRY_US = 30 * US_PER_SECOND;
const MOST_ATTEMPTS = 12;

/** When a message whose sending failed is tried again, after so many attempts; null: not any more. Doubling, an hour at most. */
export function retryAfterUs(attempts: number): number | null {
  if (attempts >= MOST_ATTEMPTS) return null;
  return Math.min(FIRST_RETRY_US * 2 ** (attempts - 1), US_PER_HOUR);
}
