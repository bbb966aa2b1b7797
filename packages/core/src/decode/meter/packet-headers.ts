import { type ByteReader, DecodeError } from "../../base/bytes/index.js";
import { ipIn } from "../capture/index.js";

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
const EXTENSIONS = new Set([0, 43, 60, 51]);
const FRAGMENT = 44;

/**
 * The headers of the IP packet in a captured frame, the outer ones of a tunnel. What was not captured of it may be missing behind the ports.
 * @returns null for frames of other protocols
 * @throws {DecodeError} when not even its IP header is there, or the link type is not known
 */
export function readHeaders(linkType: number, frame: Uint8Array): PacketHeaders | null {
  const found = ipIn(linkType, frame);
  if (found === null) return null;
  return found.version === 4 ? ipv4(found.r, found.vlan) : ipv6(found.r, found.vlan);
}

/** RFC 791 section 3.1. */
function ipv4(r: ByteReader, vlan: number | null): PacketHeaders {
  const start = r.offset;
  const headerBytes = (r.u8("IPv4 version and header length") & 15) * 4;
  if (headerBytes < 20)
    throw new DecodeError("BAD_LENGTH", start, `IPv4 header length: expected at least 20, got ${headerBytes}`);
  const tos = r.u8("IPv4 type of service");
  const total = r.u16("IPv4 total length");
  const id = r.u16("IPv4 identification");
  const flags = r.u16("IPv4 fragment offset");
  r.skip(1, "IPv4 time to live");
  const protocol = r.u8("IPv4 protocol");
  r.skip(2, "IPv4 checksum");
  const src = r.slice(4, "IPv4 source");
  const dst = r.slice(4, "IPv4 destination");
  r.skip(Math.min(r.left, headerBytes - 20), "IPv4 options");
  const [offset, more] = [flags & 0x1fff, (flags & 0x2000) !== 0];
  const fragment = offset > 0 || more ? { id, isFirst: offset === 0, isLast: !more } : null;
  const ends = transport(r, protocol, offset === 0);
  return {
    src,
    dst,
    protocol,
    tos,
    // segmentation offload leaves the total length 0 in captures taken on the sender
    bytes: total === 0 ? headerBytes + r.left : Math.max(total, headerBytes),
    vlan,
    srcPort: ends.srcPort,
    dstPort: ends.dstPort,
    tcpFlags: ends.tcpFlags,
    fragment,
  };
}

/** RFC 8200 sections 3 and 4. */
function ipv6(r: ByteReader, vlan: number | null): PacketHeaders {
  const first = r.u16("IPv6 version and class");
  r.skip(2, "IPv6 flow label");
  const payload = r.u16("IPv6 payload length");
  let protocol = r.u8("IPv6 next header");
  r.skip(1, "IPv6 hop limit");
  const src = r.slice(16, "IPv6 source");
  const dst = r.slice(16, "IPv6 destination");
  const bytes = 40 + (payload === 0 ? r.left : payload);
  let fragment: PacketHeaders["fragment"] = null;
  while ((EXTENSIONS.has(protocol) || protocol === FRAGMENT) && r.left >= 8) {
    const kind = protocol;
    protocol = r.u8("IPv6 extension: next header");
    const length = r.u8("IPv6 extension: length");
    if (kind === FRAGMENT) {
      const field = r.u16("IPv6 fragment offset");
      const id = r.u32("IPv6 fragment identification");
      fragment = { id, isFirst: (field & 0xfff8) === 0, isLast: (field & 1) === 0 };
      break;
    }
    r.skip(Math.min(r.left, kind === 51 ? (length + 2) * 4 - 2 : (length + 1) * 8 - 2), "IPv6 extension");
  }
  const ends = transport(r, protocol, fragment === null || fragment.isFirst);
  return {
    src,
    dst,
    protocol,
    tos: (first >> 4) & 0xff,
    bytes,
    vlan,
    srcPort: ends.srcPort,
    dstPort: ends.dstPort,
    tcpFlags: ends.tcpFlags,
    fragment,
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
