import { type EpochUs, US_PER_HOUR, US_PER_MINUTE } from "../base/time/index.js";
import type { Entity } from "../model/entity/index.js";

/** How one record leads to another. */
export const LEADS = ["session", "carried", "went on", "made"] as const;
export type LeadKind = (typeof LEADS)[number];

/** What of a pinned record leads elsewhere. */
export interface LeadingRecord {
  /** The pin's number in its paper. */
  readonly pin: number;
  readonly timeUs: EpochUs;
  readonly kind: string;
  readonly category: string;
  readonly outcome: string;
  /** Its sender, and the addresses that are the sender's own. */
  readonly sender: string;
  readonly senderAddresses: readonly string[];
  readonly src: string | null;
  readonly dst: string | null;
  readonly dstPort: number | null;
  readonly entities: readonly Pick<Entity, "kind" | "role" | "value">[];
  readonly sessions: readonly string[];
}

/** One record leads to a later one. */
export interface Lead {
  readonly from: number;
  readonly to: number;
  readonly kind: LeadKind;
  /** What both have: an account, an address, a session. */
  readonly by: string;
}

/** A connection and what was done over it lie as far apart at most: clocks differ, and a flow is told of when it is over. */
const CARRIED_WITHIN_US = 5 * US_PER_MINUTE;
/** Whoever came in goes on from there within a working day. */
const WENT_ON_WITHIN_US = 12 * US_PER_HOUR;
/** Of each record and each kind: a thousand logons of one account are no thousand arrows. */
const MOST_OF_A_KIND = 3;

/**
 * Which pinned records lead to which, by what both say:
 * - *session*: the next record of the same session of one sender,
 * - *carried*: the flow or decision of a firewall that carried what a machine says was done from an address,
 * - *went on*: a logon on a machine, and a later one that came from that machine,
 * - *made*: an account that was made or changed, and its first logon after.
 * @param records at most some thousand: every two are looked at
 */
export function leadsOf(records: readonly LeadingRecord[]): Lead[] {
  const inOrder = [...records].sort((a, b) => a.timeUs - b.timeUs || a.pin - b.pin);
  const found: Lead[] = [];
  for (const [i, from] of inOrder.entries()) {
    const told = new Map<LeadKind, Set<string>>();
    for (const to of inOrder.slice(i + 1)) {
      const lead = leadOf(from, to);
      if (lead === null) continue;
      const before = told.get(lead.kind) ?? new Set();
      // a chain, not every pair of it: only the next with the same thing
      if (before.has(lead.by) || before.size >= MOST_OF_A_KIND) continue;
      told.set(lead.kind, before.add(lead.by));
      found.push({ from: from.pin, to: to.pin, ...lead });
    }
  }
  return found;
}

function leadOf(from: LeadingRecord, to: LeadingRecord): { readonly kind: LeadKind; readonly by: string } | null {
  const session = from.sender === to.sender ? from.sessions.find((s) => to.sessions.includes(s)) : undefined;
  if (session !== undefined) return { kind: "session", by: session };
  const apart = to.timeUs - from.timeUs;
  const carried = apart <= CARRIED_WITHIN_US ? (carriedBy(from, to) ?? carriedBy(to, from)) : null;
  if (carried !== null) return { kind: "carried", by: carried };
  if (apart > WENT_ON_WITHIN_US || !isLogon(to) || to.outcome !== "success") return null;
  const account = namesOf(to, "user", "actor");
  const made =
    from.category === "account" ? namesOf(from, "user", "target").find((name) => account.includes(name)) : undefined;
  if (made !== undefined) return { kind: "made", by: made };
  const isFrom = to.src !== null && from.senderAddresses.includes(to.src) && from.sender !== to.sender;
  return isFrom && isLogon(from) && from.outcome === "success" ? { kind: "went on", by: to.src! } : null;
}

/** The address from which what was done was carried by this traffic; null: it was not. */
function carriedBy(traffic: LeadingRecord, done: LeadingRecord): string | null {
  if (!isTraffic(traffic) || isTraffic(done) || done.src === null || traffic.src !== done.src) return null;
  const reached = traffic.dst !== null && (done.senderAddresses.includes(traffic.dst) || traffic.dst === done.dst);
  const isSamePort = done.dstPort === null || traffic.dstPort === null || done.dstPort === traffic.dstPort;
  return reached && isSamePort ? done.src : null;
}

const isTraffic = ({ kind }: LeadingRecord): boolean => kind === "flow" || kind === "firewall" || kind === "packet";
const isLogon = ({ category }: LeadingRecord): boolean => category === "logon";

const namesOf = ({ entities }: LeadingRecord, kind: string, role: string): string[] =>
  entities.filter((e) => e.kind === kind && e.role === role).map((e) => e.value);
