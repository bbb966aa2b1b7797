import { wayCounts } from "@halvik/contract/senders";
import { AgedMap } from "@halvik/core/base/collections";
import { networkContains, parseNetwork } from "@halvik/core/base/net";
import { US_PER_DAY, US_PER_SECOND } from "@halvik/core/base/time";
import { Cadence, ClockOffset, CopyFinder, newSender, type Sender } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { Arrival } from "../arrivals/arrival.js";
import {
  addSender,
  addSenderBehind,
  admittedNetworks,
  admitWaitingOfNetworks,
  forgetOldestUnheard,
  forgetWaitingBefore,
  heardBefore,
  loadSenders,
  sendersVersion,
} from "./repository.js";
import { type ActivityCounts, noActivity, type WayTally } from "./tallies.js";

/** At most this many waiting senders are listed (`docs/semantics.md` 9). */
const MAX_WAITING = 1_000;
/** Senders behind one relay; what further host names send is the relay's own. */
const MAX_BEHIND = 1_000;
/** Peers beyond the list that are remembered, so that those which come again are told from those that came once. */
const MAX_REMEMBERED = 20_000;
/** A peer heard so often, over so long, is a device: it takes the place of one that was heard once. */
const DEVICE_TIMES = 3;
const DEVICE_US = 20 * US_PER_SECOND;
/** A waiting sender not heard for a day has nothing held any more, and gives its place up. */
const FORGOTTEN_US = US_PER_DAY;

/** A sender as the collector works with it: the facts, what it learns, and counts not yet written. */
export interface LiveSender {
  facts: Sender;
  readonly clock: ClockOffset;
  /** What is learnt here since it was last added to what is kept. */
  readonly cadence: Cadence;
  readonly fresh: ActivityCounts;
  /** The same by way in, of those that something came by. */
  readonly ways: Map<string, WayTally>;
  lastHeardUs: number | null;
  touched: boolean;
}

/** What is counted of a sender at an endpoint. */
export function wayOf({ ways }: LiveSender, endpoint: string): WayTally {
  const known = ways.get(endpoint);
  if (known !== undefined) return known;
  const made = { ...wayCounts(), lastUs: 0 };
  ways.set(endpoint, made);
  return made;
}

/** Counts one more of something of a sender, by all its ways in together and by the one it came by. */
export function countOne(
  sender: LiveSender,
  { endpoint, receivedUs }: Pick<Arrival, "endpoint" | "receivedUs">,
  what: "messages" | "problems" | "refused" | "capped",
): void {
  const way = wayOf(sender, endpoint);
  way[what]++;
  way.lastUs = Math.max(way.lastUs, receivedUs);
  sender.fresh[what]++;
  sender.touched = true;
}

/** Finds the sender of an arrival; keeps what is learnt about each. Rebuilt from the database when the directory changes. */
export class SenderRegistry {
  private byId = new Map<number, LiveSender>();
  private byAddress = new Map<string, LiveSender>();
  private byRelayHost = new Map<string, LiveSender>();
  private networks: NonNullable<ReturnType<typeof parseNetwork>>[] = [];
  private version = -1;
  readonly copies = new CopyFinder();
  /** Arrivals of senders beyond the waiting list. */
  unlisted = 0;

  constructor(private readonly defaultZone: string) {}

  /** A registry of these senders alone, which learns and changes nothing but itself. */
  static of(senders: readonly Sender[], zone: string): SenderRegistry {
    const registry = new SenderRegistry(zone);
    for (const facts of senders) registry.add(newLiveSender(facts));
    return registry;
  }

  /** Reads the directory if it changed. @returns whether it did */
  async refresh(db: Queryable): Promise<boolean> {
    const version = await sendersVersion(db);
    if (version === this.version) return false;
    // a sender that came to wait just before its network was admitted
    await admitWaitingOfNetworks(db);
    const senders = await loadSenders(db, this.defaultZone);
    this.networks = (await admittedNetworks(db)).flatMap((n) => parseNetwork(n.network) ?? []);
    const known = this.version >= 0 ? this.byId : await this.loadActivity(db);
    this.byId = new Map();
    this.byAddress = new Map();
    this.byRelayHost = new Map();
    this.behindCounts = new Map();
    for (const facts of senders) {
      const old = known.get(facts.id);
      this.add(old ? Object.assign(old, { facts }) : newLiveSender(facts));
    }
    this.version = version;
    return true;
  }

  /** The sender a peer is, before any relay is looked at. */
  peer(address: string): LiveSender | undefined {
    return this.byAddress.get(address);
  }

  /** The sender known by a host name behind a relay. */
  behind(relay: number, host: string): LiveSender | undefined {
    return this.byRelayHost.get(`${relay} ${host.toLowerCase()}`);
  }

  all(): Iterable<LiveSender> {
    return this.byId.values();
  }

  get(id: number): LiveSender | undefined {
    return this.byId.get(id);
  }

  /**
   * Makes senders for peers not heard of before: waiting, or admitted where a network is admitted from now on.
   * Peers beyond the list of waiting ones stay unknown.
   */
  async notice(db: Queryable, peers: ReadonlyMap<string, number>): Promise<void> {
    let waiting = [...this.byId.values()].filter((s) => s.facts.state === "waiting").length;
    for (const [address, firstSeenUs] of peers) {
      if (this.byAddress.has(address)) continue;
      const admitted = this.networks.some((n) => networkContains(n, address));
      if (!admitted && waiting >= MAX_WAITING) {
        if (!this.isDevice(address, firstSeenUs) || !(await this.makeRoom(db))) continue;
        waiting--;
        this.beyond.delete(address);
      }
      const id = await addSender(db, address, admitted ? "admitted" : "waiting", firstSeenUs);
      if (!admitted) waiting++;
      this.add(
        newLiveSender(plainSender(id, address, admitted, this.defaultZone, firstSeenUs, { addresses: [address] })),
      );
    }
  }

  /** Peers beyond the list of waiting ones, with what was heard of them; those heard longest ago go first. */
  private readonly beyond = new AgedMap<string, { times: number; readonly firstUs: number }>();

  /** Whether a peer beyond the list has come again and again: a thousand invented addresses come once each. */
  private isDevice(address: string, heardUs: number): boolean {
    const known = this.beyond.get(address);
    if (known === undefined) {
      if (this.beyond.size >= MAX_REMEMBERED) this.beyond.dropOldest();
      this.beyond.set(address, { times: 1, firstUs: heardUs });
      return false;
    }
    known.times++;
    // heard again: it is the last to be forgotten
    this.beyond.delete(address);
    this.beyond.set(address, known);
    return known.times >= DEVICE_TIMES && heardUs - known.firstUs >= DEVICE_US;
  }

  /** Forgets the waiting sender that has been heard once, the longest ago. @returns whether there was one */
  private async makeRoom(db: Queryable): Promise<boolean> {
    const forgotten = await forgetOldestUnheard(db);
    this.remove(forgotten);
    return forgotten.length > 0;
  }

  /** Waiting senders that are not heard any more, and of which nothing is held, give their places up. */
  async forgetWaiting(db: Queryable, nowUs: number): Promise<void> {
    this.remove(await forgetWaitingBefore(db, nowUs - FORGOTTEN_US));
  }

  private remove(ids: readonly number[]): void {
    for (const id of ids) {
      const live = this.byId.get(id);
      if (live === undefined) continue;
      this.byId.delete(id);
      for (const address of live.facts.addresses) this.byAddress.delete(address);
    }
  }

  /** Makes senders for hosts first heard of through an admitted relay, within bounds. */
  async noticeBehind(
    db: Queryable,
    hosts: ReadonlyMap<string, { relay: LiveSender; host: string; firstSeenUs: number }>,
  ): Promise<void> {
    for (const { relay, host, firstSeenUs } of hosts.values()) {
      if (this.behind(relay.facts.id, host) || this.isRelayFull(relay.facts.id)) continue;
      // admitted with its relay: a host name alone admits nothing, the relay does
      const row = await addSenderBehind(db, relay.facts, host, firstSeenUs);
      this.add(
        newLiveSender(
          plainSender(row.id, row.name, true, relay.facts.zone, firstSeenUs, {
            viaRelay: relay.facts.id,
            relayHost: host,
          }),
        ),
      );
    }
  }

  /** Whether a relay has brought as many hosts as it may; the others are known by its own name. */
  isRelayFull(relay: number): boolean {
    return (this.behindCounts.get(relay) ?? 0) >= MAX_BEHIND;
  }

  private behindCounts = new Map<number, number>();

  private add(live: LiveSender): void {
    this.byId.set(live.facts.id, live);
    for (const address of live.facts.addresses) this.byAddress.set(address, live);
    if (live.facts.viaRelay !== null && live.facts.relayHost !== null)
      this.addBehind(live.facts.viaRelay, live.facts.relayHost, live);
  }

  private addBehind(relay: number, host: string, live: LiveSender): void {
    const key = `${relay} ${host.toLowerCase()}`;
    if (!this.byRelayHost.has(key)) this.behindCounts.set(relay, (this.behindCounts.get(relay) ?? 0) + 1);
    this.byRelayHost.set(key, live);
  }

  private async loadActivity(db: Queryable): Promise<Map<number, LiveSender>> {
    const out = new Map<number, LiveSender>();
    for (const r of await heardBefore(db)) {
      const live = newLiveSender(plainSender(r.sender, "", false, this.defaultZone, null, {}), r.clockOffsetUs);
      live.lastHeardUs = r.lastHeardUs;
      out.set(r.sender, live);
    }
    return out;
  }
}

/** A sender nobody knows, for decoding a file by itself. */
export const loneSender = (zone: string): LiveSender => newLiveSender(plainSender(1, "", true, zone, null, {}));

function newLiveSender(facts: Sender, clockUs = 0): LiveSender {
  return {
    facts,
    clock: new ClockOffset(clockUs),
    cadence: new Cadence(),
    fresh: noActivity(),
    ways: new Map(),
    lastHeardUs: null,
    touched: false,
  };
}

function plainSender(
  id: number,
  name: string,
  admitted: boolean,
  zone: string,
  firstSeenUs: number | null,
  parts: Partial<Sender>,
): Sender {
  return newSender(id, name, { state: admitted ? "admitted" : "waiting", zone, firstSeenUs, ...parts });
}
