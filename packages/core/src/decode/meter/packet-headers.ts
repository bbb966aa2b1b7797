import type { ByteReader } from "../../base/bytes/index.js";
import { ipIn, readIpHeader } from "../capture/index.js";

/** What a meter needs of a packet; of one that was cut when it was captured, what its headers say. */
export interface PacketHeaders {
  /** 4 or 16 octets each, within the frame. */
  readonly src: Uint8Array;
  readonly dst: Uint8Array;
  readonly protocol: number;
  readonly tos: number;
  /** Octets of the packet as IP says them, headers included. */
  readonly bytes: number;
  readonly vlan: number | null;
  /** Source and destination port; of ICMP 0 and type × 256 + code; 0 where there are none. */
  readonly srcPort: number;
  readonly dstPort: number;
  readonly tcpFlags: number;
  /** Which packet it is a part of; null: it is whole. */
  readonly fragment: { readonly id: number; readonly isFirst: boolean; readonly isLast: boolean } | null;
}

const ICMP = 1;
const TCP = 6;
const UDP = 17;
const ICMPV6 = 58;
const DCCP = 33;
const SCTP = 132;
const WITH_PORTS = new Set([TCP, UDP, DCCP, SCTP]);

/**
 * The headers of the IP packet in a captured frame, the outer ones of a tunnel. What was not captured of it may be missing behind the ports.
 * @returns null for frames of other protocols
 * @throws {DecodeError} when not even its IP header is there, or the link type is not known
 */
export function readHeaders(linkType: number, frame: Uint8Array): PacketHeaders | null {
  const found = ipIn(linkType, frame);
  if (found === null) return null;
  const { r, src, dst, protocol, tos, bytes, fragment } = readIpHeader(found);
  const isFirst = fragment === null || fragment.offset === 0;
  const ends = transport(r, protocol, isFirst);
  return {
    src,
    dst,
    protocol,
    tos,
    bytes,
    vlan: found.vlan,
    srcPort: ends.srcPort,
    dstPort: ends.dstPort,
    tcpFlags: ends.tcpFlags,
    fragment: fragment === null ? null : { id: fragment.id, isFirst, isLast: !fragment.more },
  };
}

type Ends = Pick<PacketHeaders, "srcPort" | "dstPort" | "tcpFlags">;
const NO_ENDS: Ends = { srcPort: 0, dstPort: 0, tcpFlags: 0 };

/** Ports stand at the same place in all that have any (RFC 768, 9293, 9260, 4340). */
function transport(r: ByteReader, protocol: number, isBeginning: boolean): Ends {
  if (!isBeginning) return NO_ENDS;
  if ((protocol === ICMP || protocol === ICMPV6) && r.left >= 2)
    return { srcPort: 0, dstPort: r.u16("ICMP type and code"), tcpFlags: 0 };
  if (!WITH_PORTS.has(protocol) || r.left < 4) return NO_ENDS;
  const srcPort = r.u16("source port");
  const dstPort = r.u16("destination port");
  if (protocol !== TCP || r.left < 10) return { srcPort, dstPort, tcpFlags: 0 };
  r.skip(9, "TCP sequence numbers and offset");
  return { srcPort, dstPort, tcpFlags: r.u8("TCP flags") };
}
