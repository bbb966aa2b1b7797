import { servicePort } from "./service-port.js";
import { type Stretch, stretchOf } from "./spread.js";

/** What traffic is counted from: of a flow record only this. */
export interface FlowSeen {
  readonly sender: number;
  readonly timeUs: number;
  readonly startUs: number | null;
  readonly src: string | null;
  readonly dst: string | null;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
  readonly protocol: number | null;
  readonly bytes: number;
  readonly packets: number;
  readonly reverseBytes: number;
  readonly reversePackets: number;
  readonly ingress: number | null;
  readonly egress: number | null;
  /** 0: metered where it came in, 1: where it went out (RFC 5102 section 5.11.4); null: not said, which is where it came in. */
  readonly direction: number | null;
  readonly tos: number | null;
  readonly tcpFlags: number | null;
  readonly srcAs: number | null;
  readonly dstAs: number | null;
  readonly application: string | null;
  readonly samplingRate: number;
}

/** Interfaces that an exporter did not name. */
export const NO_INTERFACE = -1;

/** One direction of what a flow record tells: packets that went from one address to another, through one exporter. */
export interface Passage {
  readonly sender: number;
  readonly stretch: Stretch;
  /** The step a count of it falls in goes by the record's own time. */
  readonly timeUs: number;
  readonly bytes: number;
  readonly packets: number;
  /** How many flow records it stands for: the way back of one that tells both is no second one. */
  readonly flows: 0 | 1;
  readonly ingress: number;
  readonly egress: number;
  /** It was metered at the interface it left by. */
  readonly isMeteredAtEgress: boolean;
  /** Which of the exporter's meters told of it: where traffic comes in, or where it goes out. */
  readonly meter: number;
  readonly isSampled: boolean;
  readonly samplingRate: number;
  readonly src: string;
  readonly dst: string;
  readonly pair: string;
  /** The two addresses, the protocol and the ports: the same for all that is told of one conversation in one direction. For comparing only. */
  readonly conversation: string;
  readonly protocol: number;
  readonly servicePort: number;
  /** The end of it that has the service's port. */
  readonly server: string;
  readonly application: string | null;
  readonly dscp: number | null;
  readonly tcpFlags: number | null;
  readonly srcAs: number | null;
  readonly dstAs: number | null;
}

/** Stands for an address that was not told. */
export const UNKNOWN_ADDRESS = "?";

/** The passages of a flow: one, or with the elements of RFC 5103 one each way. */
export function passagesOf(f: FlowSeen): Passage[] {
  const there = passage(f, 1);
  if (f.reverseBytes === 0 && f.reversePackets === 0) return [there];
  return [
    there,
    passage(
      {
        ...f,
        src: f.dst,
        dst: f.src,
        srcPort: f.dstPort,
        dstPort: f.srcPort,
        srcAs: f.dstAs,
        dstAs: f.srcAs,
        ingress: f.egress,
        egress: f.ingress,
        bytes: f.reverseBytes,
        packets: f.reversePackets,
      },
      0,
    ),
  ];
}

function passage(f: FlowSeen, flows: 0 | 1): Passage {
  const src = f.src ?? UNKNOWN_ADDRESS;
  const dst = f.dst ?? UNKNOWN_ADDRESS;
  const pair = `${src} ${dst}`;
  const port = servicePort(f.srcPort, f.dstPort) ?? -1;
  return {
    sender: f.sender,
    stretch: stretchOf(f.startUs, f.timeUs),
    timeUs: f.timeUs,
    bytes: f.bytes,
    packets: f.packets,
    flows,
    ingress: f.ingress ?? NO_INTERFACE,
    egress: f.egress ?? NO_INTERFACE,
    isMeteredAtEgress: f.direction === 1,
    meter: 2 * f.sender + (f.direction === 1 ? 1 : 0),
    isSampled: f.samplingRate > 1,
    samplingRate: f.samplingRate,
    src,
    dst,
    pair,
    conversation: pair + portsOf(f),
    protocol: f.protocol ?? -1,
    servicePort: port,
    server: port >= 0 && port === f.srcPort && port !== f.dstPort ? src : dst,
    application: f.application,
    dscp: f.tos === null ? null : f.tos >> 2,
    tcpFlags: f.tcpFlags,
    srcAs: f.srcAs,
    dstAs: f.dstAs,
  };
}

/** Bits beside the protocol's number, of the ports that were not told. */
const [NO_PROTOCOL, NO_SOURCE_PORT, NO_DESTINATION_PORT] = [0x100, 0x200, 0x400];

/** Protocol and ports as three units of text: one is made for every flow, and numbers written out cost more than all else of it. */
const portsOf = ({ protocol, srcPort, dstPort }: FlowSeen): string =>
  String.fromCharCode(
    (protocol ?? NO_PROTOCOL) | (srcPort === null ? NO_SOURCE_PORT : 0) | (dstPort === null ? NO_DESTINATION_PORT : 0),
    srcPort ?? 0,
    dstPort ?? 0,
  );
