import { AgedMap } from "../../base/collections/index.js";
import { addressKey } from "../../base/net/index.js";
import { type EpochUs, US_PER_MINUTE, US_PER_SECOND } from "../../base/time/index.js";
import type { PacketHeaders } from "./packet-headers.js";

/** Why a flow was told of (RFC 5102 section 5.11.3, flowEndReason). */
export const END_REASON = { idle: 1, active: 2, ended: 3, forced: 4, lackOfResources: 5 } as const;

/** Packets of one conversation, both ways: first the way of its first packet, and then the way back (RFC 5103). */
export interface MeteredFlow {
  /** 4 or 16 octets each. */
  readonly src: Uint8Array;
  readonly dst: Uint8Array;
  readonly srcPort: number;
  readonly dstPort: number;
  readonly protocol: number;
  readonly vlan: number | null;
  readonly tos: number;
  readonly startUs: EpochUs;
  endUs: EpochUs;
  bytes: number;
  packets: number;
  reverseBytes: number;
  reversePackets: number;
  tcpFlags: number;
  reverseTcpFlags: number;
  endReason: number;
}

export interface MeterLimits {
  /** A flow that goes on is told of after so long, and again. */
  readonly activeUs: number;
  /** One of which nothing more comes is over after so long. */
  readonly idleUs: number;
  /** Flows that are held at once; of more, the one that was begun first is told of. */
  readonly most: number;
}

const LIMITS: MeterLimits = { activeUs: US_PER_MINUTE, idleUs: 15 * US_PER_SECOND, most: 200_000 };
/** What comes after a connection has ended may still belong to it. */
const LINGER_US = US_PER_SECOND;
const SWEEP_US = US_PER_SECOND;
const MOST_FRAGMENTED = 4_096;
const [FIN, SYN, RST] = [1, 2, 4];
const TCP = 6;

interface Held extends MeteredFlow {
  readonly key: string;
  /** Since when it has been over; null: it goes on. */
  endedUs: EpochUs | null;
}

/**
 * Makes flows of packets, as exporters do (RFC 3954, 7011 and the metering process of RFC 5470): by addresses, ports, protocol and VLAN, both
 * ways together, cut where they last, over when nothing comes or TCP ends. Of a tunnel the outer packet is counted. In bounded memory: what had
 * to be told of for want of room is counted.
 */
export class FlowMeter {
  private readonly flows = new AgedMap<string, Held>();
  /** Ports of packets of which only the first fragment tells them. */
  private readonly fragmented = new AgedMap<string, readonly [srcPort: number, dstPort: number]>();
  private readonly done: MeteredFlow[] = [];
  private readonly limits: MeterLimits;
  private nowUs: EpochUs = Number.NEGATIVE_INFINITY;
  private sweptUs: EpochUs = Number.NEGATIVE_INFINITY;
  /** Flows that were told of before they were over, because there were too many. */
  evicted = 0;

  constructor(limits: Partial<MeterLimits> = {}) {
    this.limits = { ...LIMITS, ...limits };
  }

  /** @param timeUs when it was captured; one that comes late counts at its time and moves no clock back */
  add(timeUs: EpochUs, packet: PacketHeaders): void {
    this.nowUs = Math.max(this.nowUs, timeUs);
    if (this.nowUs - this.sweptUs >= SWEEP_US) this.sweep();
    const p = packet.fragment === null ? packet : this.withPorts(packet);
    const there = keyOf(p.src, p.dst, p.srcPort, p.dstPort, p);
    let flow = this.flows.get(there);
    let isBack = false;
    if (flow === undefined) {
      flow = this.flows.get(keyOf(p.dst, p.src, p.dstPort, p.srcPort, p));
      isBack = flow !== undefined;
    }
    if (flow !== undefined) {
      const isAnew = flow.endedUs !== null && (p.tcpFlags & SYN) !== 0;
      if (isAnew || timeUs - flow.startUs >= this.limits.activeUs) {
        this.tell(flow, isAnew ? END_REASON.ended : END_REASON.active);
        // what goes on keeps its direction
        flow = this.begin(timeUs, p, isAnew ? false : isBack, isAnew ? there : flow.key);
        isBack = isAnew ? false : isBack;
      }
    } else flow = this.begin(timeUs, p, false, there);
    this.count(flow, timeUs, p, isBack);
  }

  /** Time goes on, whether packets come or not. */
  pass(nowUs: EpochUs): void {
    this.nowUs = Math.max(this.nowUs, nowUs);
    if (this.nowUs - this.sweptUs >= SWEEP_US) this.sweep();
  }

  /** Flows that are over, or cut, since this was last called. */
  take(): MeteredFlow[] {
    return this.done.splice(0);
  }

  /** Nothing more comes: all that is held is told of. */
  end(): MeteredFlow[] {
    for (const flow of this.flows.values())
      this.tell(flow, flow.endedUs === null ? END_REASON.forced : END_REASON.ended);
    return this.take();
  }

  private begin(timeUs: EpochUs, p: PacketHeaders, isBack: boolean, key: string): Held {
    if (this.flows.size >= this.limits.most) {
      const first = this.flows.oldest();
      if (first !== undefined) {
        this.tell(first[1], END_REASON.lackOfResources);
        this.evicted++;
      }
    }
    const flow: Held = {
      key,
      // a frame's bytes may be used again
      src: (isBack ? p.dst : p.src).slice(),
      dst: (isBack ? p.src : p.dst).slice(),
      srcPort: isBack ? p.dstPort : p.srcPort,
      dstPort: isBack ? p.srcPort : p.dstPort,
      protocol: p.protocol,
      vlan: p.vlan,
      tos: p.tos,
      startUs: timeUs,
      endUs: timeUs,
      bytes: 0,
      packets: 0,
      reverseBytes: 0,
      reversePackets: 0,
      tcpFlags: 0,
      reverseTcpFlags: 0,
      endReason: 0,
      endedUs: null,
    };
    this.flows.set(key, flow);
    return flow;
  }

  private count(flow: Held, timeUs: EpochUs, p: PacketHeaders, isBack: boolean): void {
    flow.endUs = Math.max(flow.endUs, timeUs);
    if (isBack) {
      flow.reverseBytes += p.bytes;
      flow.reversePackets++;
      flow.reverseTcpFlags |= p.tcpFlags;
    } else {
      flow.bytes += p.bytes;
      flow.packets++;
      flow.tcpFlags |= p.tcpFlags;
    }
    if (p.protocol !== TCP) return;
    const isOver = (p.tcpFlags & RST) !== 0 || (flow.tcpFlags & flow.reverseTcpFlags & FIN) !== 0;
    if (isOver) flow.endedUs = timeUs;
  }

  private tell(flow: Held, endReason: number): void {
    this.flows.delete(flow.key);
    flow.endReason = endReason;
    this.done.push(flow);
  }

  private sweep(): void {
    this.sweptUs = this.nowUs;
    for (const flow of this.flows.values()) {
      if (flow.endedUs !== null && this.nowUs - flow.endedUs >= LINGER_US) this.tell(flow, END_REASON.ended);
      else if (this.nowUs - flow.endUs >= this.limits.idleUs) this.tell(flow, END_REASON.idle);
      else if (this.nowUs - flow.startUs >= this.limits.activeUs) this.tell(flow, END_REASON.active);
    }
  }

  /** Only the first fragment of a packet says its ports. */
  private withPorts(p: PacketHeaders): PacketHeaders {
    const { id, isFirst, isLast } = p.fragment!;
    const key = `${id} ${p.protocol} ${p.src} ${p.dst}`;
    if (isFirst) {
      if (this.fragmented.size >= MOST_FRAGMENTED) this.fragmented.dropOldest();
      this.fragmented.set(key, [p.srcPort, p.dstPort]);
      return p;
    }
    const ports = this.fragmented.get(key);
    if (isLast) this.fragmented.delete(key);
    return ports === undefined ? p : { ...p, srcPort: ports[0], dstPort: ports[1] };
  }
}

/** What tells one direction of a conversation from others, as a text of few characters. */
function keyOf(src: Uint8Array, dst: Uint8Array, srcPort: number, dstPort: number, p: PacketHeaders): string {
  const rest = String.fromCharCode(srcPort, dstPort, p.protocol, (p.vlan ?? -1) + 1);
  return addressKey(src) + addressKey(dst) + rest;
}
