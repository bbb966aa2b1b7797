import type { EpochUs } from "../../base/time/index.js";
import type { Count } from "../../model/record/index.js";

/** One flow in typed columns, whatever protocol exported it. `null`: the exporter did not say. */
export interface FlowRecord {
  startUs: EpochUs | null;
  endUs: EpochUs | null;
  src: string | null;
  dst: string | null;
  srcPort: number | null;
  dstPort: number | null;
  protocol: number | null;
  /** Interface indexes (RFC 7012: ingressInterface, egressInterface). */
  ingress: number | null;
  egress: number | null;
  /** Bytes and packets; multiplied by `samplingRate` where that is above 1, and then estimates. */
  bytes: Count | null;
  packets: Count | null;
  reverseBytes: Count | null;
  reversePackets: Count | null;
  /** The IP type of service octet; DSCP is its upper six bits (RFC 2474). */
  tos: number | null;
  tcpFlags: number | null;
  /** ICMP type × 256 + code. */
  icmp: number | null;
  srcAs: number | null;
  dstAs: number | null;
  srcMask: number | null;
  dstMask: number | null;
  nextHop: string | null;
  vlan: number | null;
  /** 0 ingress, 1 egress (RFC 7012 flowDirection). */
  direction: number | null;
  /** What a policy did, by firewallEvent (233): 3 is denied. */
  firewallEvent: number | null;
  /** Application id as exported, in hex (RFC 6759), and its name where the exporter gave one. */
  application: string | null;
  natSrc: string | null;
  natDst: string | null;
  natSrcPort: number | null;
  natDstPort: number | null;
  /** 1: every packet was counted. */
  samplingRate: number;
  /** Everything else, by the names of the IANA registry or by number. */
  extra: (readonly [name: string, value: string])[];
}

export const emptyFlow = (): FlowRecord => ({
  startUs: null,
  endUs: null,
  src: null,
  dst: null,
  srcPort: null,
  dstPort: null,
  protocol: null,
  ingress: null,
  egress: null,
  bytes: null,
  packets: null,
  reverseBytes: null,
  reversePackets: null,
  tos: null,
  tcpFlags: null,
  icmp: null,
  srcAs: null,
  dstAs: null,
  srcMask: null,
  dstMask: null,
  nextHop: null,
  vlan: null,
  direction: null,
  firewallEvent: null,
  application: null,
  natSrc: null,
  natDst: null,
  natSrcPort: null,
  natDstPort: null,
  samplingRate: 1,
  extra: NO_EXTRA,
});

/** Shared by the many flows that have none; replaced, never written to. */
export const NO_EXTRA: FlowRecord["extra"] = [];

/** An interface's counters as sFlow exports them (sFlow version 5, generic interface counters). */
export interface InterfaceMeasure {
  readonly interface: number;
  readonly type: number;
  /** Bits a second. */
  readonly speed: bigint;
  /** Bit 0: administratively up; bit 1: operationally up. */
  readonly status: number;
  readonly inOctets: bigint;
  readonly inPackets: number;
  readonly inDiscards: number;
  readonly inErrors: number;
  readonly outOctets: bigint;
  readonly outPackets: number;
  readonly outDiscards: number;
  readonly outErrors: number;
}
