import type { EpochUs } from "../base/time/index.js";
import { type Dimension, valueIn } from "./dimensions.js";
import { NOTHING, OnceCounter } from "./once.js";
import { type FlowSeen, type Passage, passagesOf } from "./passage.js";
import { eachStep } from "./spread.js";
import type { Amounts } from "./step-sums.js";

/** What went one way and the other. */
export interface BothWays {
  sent: number;
  received: number;
  packets: number;
  flows: number;
}

/** How connections to a port, or of a host as a client, ended: by the flags that its flows tell together (RFC 9293 section 3.1). */
export interface Fates {
  /** Answered, or of a protocol without connections. */
  accepted: number;
  /** Answered by a reset without a connection before. */
  refused: number;
  /** Asked for, and nothing more was sent. */
  unanswered: number;
}

/** What flows of a host in a window tell, all plain data. */
export interface HostTraffic {
  readonly total: BothWays;
  /** Bytes by step, without a gap. */
  readonly sent: readonly number[];
  readonly received: readonly number[];
  readonly peers: readonly (readonly [address: string, BothWays])[];
  readonly peersInAll: number;
  /** What it uses of others, by the value of `application`. */
  readonly uses: readonly (readonly [value: string, BothWays & Fates])[];
  /** Its own ports that others use: `protocol port`. */
  readonly offers: readonly (readonly [value: string, BothWays & Fates & { clients: number }])[];
  readonly sizes: readonly (readonly [value: string, Amounts])[];
  readonly markings: readonly (readonly [value: string, Amounts])[];
  readonly estimatedRate: number;
  /** The first and the last moment anything of it was carried. */
  readonly firstUs: EpochUs | null;
  readonly lastUs: EpochUs | null;
}

const MOST_LISTED = 200;
/** Peers and ports that are told apart; of more, the first. Whoever scans a network has no more friends for it. */
const MOST_TOLD = 20_000;
const MOST_CONVERSATIONS = 100_000;
const TCP = 6;
const [SYN, RST, ACK] = [2, 4, 16];

/** Adds up what flows tell of one host, by its addresses; each conversation once, whoever told of it. */
export class HostFlows {
  private readonly total: BothWays = nothing();
  private readonly sent: number[];
  private readonly received: number[];
  private readonly peers = new Map<string, BothWays>();
  private readonly uses = new Map<string, BothWays & Fates>();
  private readonly offers = new Map<string, BothWays & Fates & { readonly clients: Set<string> }>();
  private readonly sizes = new Map<string, Amounts>();
  private readonly markings = new Map<string, Amounts>();
  private readonly counters = new Map<string, OnceCounter>();
  private rate = 1;
  private firstUs: EpochUs | null = null;
  private lastUs: EpochUs | null = null;

  /** @param window on whole steps */
  constructor(
    private readonly addresses: ReadonlySet<string>,
    private readonly window: { readonly fromUs: EpochUs; readonly toUs: EpochUs },
    private readonly stepUs: number,
  ) {
    const steps = Math.round((window.toUs - window.fromUs) / stepUs);
    this.sent = Array.from({ length: steps }, () => 0);
    this.received = Array.from({ length: steps }, () => 0);
  }

  /** In the order of their ends. */
  add(flow: FlowSeen, lane = ""): void {
    for (const p of passagesOf(flow)) {
      const isOut = this.addresses.has(p.src);
      if (!isOut && !this.addresses.has(p.dst)) continue;
      let counter = this.counters.get(lane);
      if (counter === undefined) {
        counter = new OnceCounter(() => MOST_CONVERSATIONS);
        this.counters.set(lane, counter);
      }
      const fromUs = counter.take(p);
      if (fromUs !== NOTHING) this.count(p, isOut, fromUs);
    }
  }

  private count(p: Passage, isOut: boolean, fromUs: EpochUs): void {
    const { window, stepUs } = this;
    let bytes = 0;
    let packets = 0;
    const course = isOut ? this.sent : this.received;
    eachStep(p.stretch, fromUs, stepUs, p.bytes, p.packets, (step, b, n) => {
      const at = step - Math.floor(window.fromUs / stepUs);
      if (at < 0 || at >= course.length) return;
      course[at]! += b;
      bytes += b;
      packets += n;
    });
    const isIn = p.timeUs >= window.fromUs && p.timeUs < window.toUs;
    const flows = isIn ? p.flows : 0;
    if (bytes === 0 && packets === 0 && flows === 0) return;
    this.firstUs = Math.min(this.firstUs ?? p.stretch.startUs, p.stretch.startUs);
    this.lastUs = Math.max(this.lastUs ?? p.stretch.endUs, p.stretch.endUs);
    if (p.isSampled) this.rate = Math.max(this.rate, p.samplingRate);
    const put = (sum: BothWays): void => {
      if (isOut) sum.sent += bytes;
      else sum.received += bytes;
      sum.packets += packets;
      sum.flows += flows;
    };
    put(this.total);
    const peer = of(this.peers, isOut ? p.dst : p.src, nothing);
    if (peer !== undefined) put(peer);
    this.service(p, isOut, isIn, put);
    for (const [dimension, sums] of [
      ["packet size", this.sizes],
      ["dscp", this.markings],
    ] as const satisfies readonly (readonly [Dimension, Map<string, Amounts>])[]) {
      const value = valueIn(dimension, p);
      const sum = value === null ? undefined : of(sums, value, () => ({ bytes: 0, packets: 0, flows: 0 }));
      if (sum === undefined) continue;
      sum.bytes += bytes;
      sum.packets += packets;
      sum.flows += flows;
    }
  }

  /** What it uses of others, or others of it: by who has the port of the service. */
  private service(p: Passage, isOut: boolean, isIn: boolean, put: (sum: BothWays) => void): void {
    const fates = () => ({ ...nothing(), accepted: 0, refused: 0, unanswered: 0 });
    const count = (sum: BothWays & Fates): void => {
      put(sum);
      const fate = isIn ? fateOf(p) : null;
      if (fate !== null) sum[fate]++;
    };
    if (!this.addresses.has(p.server)) {
      const used = of(this.uses, valueIn("application", p)!, fates);
      if (used !== undefined) count(used);
      return;
    }
    const offered = of(this.offers, `${p.protocol} ${p.servicePort}`, () => ({
      ...fates(),
      clients: new Set<string>(),
    }));
    if (offered === undefined) return;
    count(offered);
    if (offered.clients.size < MOST_TOLD) offered.clients.add(isOut ? p.dst : p.src);
  }

  result(): HostTraffic {
    const most = <V extends BothWays>(sums: ReadonlyMap<string, V>) =>
      [...sums]
        .sort((a, b) => b[1].sent + b[1].received - a[1].sent - a[1].received || (a[0] < b[0] ? -1 : 1))
        .slice(0, MOST_LISTED);
    const greatest = (sums: ReadonlyMap<string, Amounts>) =>
      [...sums].sort((a, b) => b[1].bytes - a[1].bytes || (a[0] < b[0] ? -1 : 1));
    return {
      total: this.total,
      sent: this.sent,
      received: this.received,
      peers: most(this.peers),
      peersInAll: this.peers.size,
      uses: most(this.uses),
      offers: most(this.offers).map(([value, { clients, ...sums }]) => [value, { ...sums, clients: clients.size }]),
      sizes: greatest(this.sizes),
      markings: greatest(this.markings),
      estimatedRate: this.rate,
      firstUs: this.firstUs,
      lastUs: this.lastUs,
    };
  }
}

const nothing = (): BothWays => ({ sent: 0, received: 0, packets: 0, flows: 0 });

function of<V>(sums: Map<string, V>, key: string, made: () => V): V | undefined {
  let sum = sums.get(key);
  if (sum === undefined && sums.size < MOST_TOLD) {
    sum = made();
    sums.set(key, sum);
  }
  return sum;
}

/**
 * What a passage says of a connection's fate: the server's answer tells that it was accepted or refused, the client's that nobody answered. Of
 * TCP without flags, and of what comes without an answer of its own, nothing is known.
 */
function fateOf(p: Passage): keyof Fates | null {
  if (p.flows === 0) return null;
  const isAnswer = p.src === p.server;
  if (p.protocol !== TCP || p.tcpFlags === null) return isAnswer && p.protocol !== TCP ? "accepted" : null;
  const has = (flag: number): boolean => (p.tcpFlags! & flag) !== 0;
  if (isAnswer) return has(SYN) ? "accepted" : has(RST) && p.packets <= 2 ? "refused" : null;
  return has(SYN) && !has(ACK) && !has(RST) ? "unanswered" : null;
}
