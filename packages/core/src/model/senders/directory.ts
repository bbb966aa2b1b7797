import { fold } from "../../base/text/index.js";
import type { EpochUs } from "../../base/time/index.js";
import { type Applications, NO_APPLICATIONS } from "../applications/index.js";
import { NO_OWN_NAMES, type OwnNames } from "../entity/index.js";
import { type NamedLists, NO_LISTS } from "../lists/index.js";
import { type NotificationNames, STANDARD_NOTIFICATIONS } from "../notifications/index.js";

export const SENDER_STATES = ["waiting", "admitted", "refused"] as const;
export type SenderState = (typeof SENDER_STATES)[number];

/** What Halvik knows of a sender: the facts people set and the identity beneath them. */
export interface Sender {
  readonly id: number;
  readonly name: string;
  readonly state: SenderState;
  /** Canonical addresses it sends from: its own and aliases (translation, test set-ups). */
  readonly addresses: readonly string[];
  /** Messages from it are other hosts'; each (relay, host name) is a sender of its own. */
  readonly relay: boolean;
  /** For a sender heard through a relay: that relay's id and the host name it goes by there. */
  readonly viaRelay: number | null;
  readonly relayHost: string | null;
  readonly site: string | null;
  readonly groups: readonly string[];
  readonly role: string | null;
  readonly tags: readonly string[];
  /** What it was called and where it sent from before, the latest first: filters that say so still mean it. */
  readonly formerNames: readonly string[];
  readonly formerAddresses: readonly string[];
  readonly zone: string;
  /** The sender it is reached through (uplink); its silence may explain this one's. */
  readonly reachedThrough: number | null;
  /** Seconds between records expected by hand; null: learnt. */
  readonly expectedEverySeconds: number | null;
  /** Days its records are kept: one of KEEP_DAYS; null: as long as records of their kind. */
  readonly keepDays: number | null;
  readonly notes: string;
  readonly firstSeenUs: EpochUs | null;
}

/** A sender of which nothing is known but its name, and the given parts. */
export const newSender = (id: number, name: string, parts: Partial<Sender> = {}): Sender => ({
  id,
  name,
  state: "admitted",
  addresses: [],
  relay: false,
  viaRelay: null,
  relayHost: null,
  site: null,
  groups: [],
  role: null,
  tags: [],
  formerNames: [],
  formerAddresses: [],
  zone: "UTC",
  reachedThrough: null,
  expectedEverySeconds: null,
  keepDays: null,
  notes: "",
  firstSeenUs: null,
  ...parts,
});

/**
 * For how many days records may be kept, when not as long as all others. Few steps, because each is a segment of its own that is
 * dropped whole.
 */
export const KEEP_DAYS = [1, 3, 7, 14, 30, 90, 180, 365, 1_095, 3_650] as const;

/** By what else than its name a sender is meant: `sender in group "routers"`. */
export const SENDER_TRAITS = ["group", "site", "role", "tag"] as const;
export type SenderTrait = (typeof SENDER_TRAITS)[number];

const traitOf: Readonly<Record<SenderTrait, (s: Sender) => readonly string[]>> = {
  group: (s) => s.groups,
  site: (s) => (s.site === null ? [] : [s.site]),
  role: (s) => (s.role === null ? [] : [s.role]),
  tag: (s) => s.tags,
};

/** The list of the networks that are ours; the note of an entry names the site it is at. */
export const OWN_NETWORKS = "own networks";

/** The sender of Halvik's own records. */
export const OWN_SENDER = 0;

/** Looks up what the names in filters stand for: senders, their groups and sites, applications, notifications, spellings, lists. Immutable: a changed directory is a new one. */
export class SenderDirectory {
  private readonly byId: ReadonlyMap<number, Sender>;
  private readonly standing: ReadonlyMap<number, number>;

  constructor(
    readonly senders: readonly Sender[],
    /** What traffic is called. */
    readonly applications: Applications = NO_APPLICATIONS,
    /** What SNMP notifications are called. */
    readonly notifications: NotificationNames = STANDARD_NOTIFICATIONS,
    /** Which domains are ours, so that one thing has one name. */
    readonly ours: OwnNames = NO_OWN_NAMES,
    /** Lists that filters name. */
    readonly lists: NamedLists = NO_LISTS,
    /** Message shapes that have become part of another, by that one. */
    readonly merged: ReadonlyMap<number, readonly number[]> = new Map(),
  ) {
    this.byId = new Map(senders.map((s) => [s.id, s]));
    this.standing = new Map([...merged].flatMap(([shape, parts]) => parts.map((part) => [part, shape] as const)));
  }

  get(id: number): Sender | undefined {
    return this.byId.get(id);
  }

  name(id: number): string {
    return id === OWN_SENDER ? "halvik" : (this.byId.get(id)?.name ?? `sender ${id}`);
  }

  /** The groups, the site, the role or the tags of a sender. */
  traits(id: number, trait: SenderTrait): readonly string[] {
    const sender = this.byId.get(id);
    return sender === undefined ? [] : traitOf[trait](sender);
  }

  /** Ids of the senders that satisfy a test on their name, in id order; Halvik itself counts. */
  idsByName(test: (name: string) => boolean): number[] {
    const own = test("halvik") ? [OWN_SENDER] : [];
    return [...own, ...this.senders.filter((s) => test(s.name)).map((s) => s.id)];
  }

  /** Ids of the senders one of whose addresses satisfies a test. */
  idsByAddress(test: (address: string) => boolean): number[] {
    return this.senders.filter((s) => s.addresses.some(test)).map((s) => s.id);
  }

  /**
   * Ids of the senders that a name or an address means: of those called so now; where none is, of those that were. A name that has gone over to
   * another sender means that one.
   */
  idsOf(nameOrAddress: string): number[] {
    const wanted = fold(nameOrAddress);
    const now = [
      ...new Set([...this.idsByName((name) => fold(name) === wanted), ...this.idsByAddress((a) => a === wanted)]),
    ];
    if (now.length > 0) return now;
    return this.senders
      .filter((s) => s.formerNames.some((name) => fold(name) === wanted) || s.formerAddresses.includes(wanted))
      .map((s) => s.id);
  }

  /** The message shapes that are one with this now, itself first. */
  shapesOf(shape: number): readonly number[] {
    return [shape, ...(this.merged.get(shape) ?? [])];
  }

  /** The message shape that one has become part of, or itself. */
  standingShape(shape: number): number {
    return this.standing.get(shape) ?? shape;
  }

  /** Ids of the senders of these groups, sites, roles or tags. */
  idsWith(trait: SenderTrait, names: readonly string[]): number[] {
    const wanted = new Set(names.map(fold));
    return this.senders.filter((s) => traitOf[trait](s).some((name) => wanted.has(fold(name)))).map((s) => s.id);
  }

  /** Every group, site, role or tag there is, sorted. */
  traitNames(trait: SenderTrait): string[] {
    return [...new Set(this.senders.flatMap(traitOf[trait]))].sort();
  }
}
