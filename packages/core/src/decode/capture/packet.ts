import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { addressFromBytes } from "../../base/net/index.js";

/** An IP packet, or a fragment of one. */
export interface IpPacket {
  readonly src: string;
  readonly dst: string;
  readonly protocol: number;
  readonly payload: Uint8Array;
  readonly fragment: { readonly id: number; readonly offset: number; readonly more: boolean } | null;
}

const ETHERTYPE_IPV4 = 0x0800;
const ETHERTYPE_IPV6 = 0x86dd;
const VLAN_TYPES = new Set([0x8100, 0x88a8, 0x9100]);
/** IPv6 extension headers that are passed over: hop-by-hop, routing, destination options, authentication. */
const EXTENSIONS = new Set([0, 43, 60, 51]);
const FRAGMENT = 44;

/** LINKTYPE_ values of the tcpdump link-layer header types list. */
const LINK = {
  NULL: 0,
  ETHERNET: 1,
  RAW_BSD: 12,
  RAW: 101,
  LOOP: 108,
  SLL: 113,
  IPV4: 228,
  IPV6: 229,
  SLL2: 276,
} as const;

/** Where the IP packet in a captured frame begins, of which version it is, and its outermost VLAN. */
export interface FoundIp {
  readonly r: ByteReader;
  readonly version: 4 | 6;
  readonly vlan: number | null;
}

/**
 * The IP packet in a captured frame. @returns null for frames of other protocols (ARP and the like)
 * @throws {DecodeError} when the frame is cut or its link type is not known
 */
export function readPacket(linkType: number, frame: Uint8Array): IpPacket | null {
  const found = ipIn(linkType, frame);
  if (found === null) return null;
  return wholePacket(readIpHeader(found));
}

/** What stands in a captured frame behind its link layer: the EtherType where it names one, the reader behind it, the outermost VLAN. */
export interface LinkLayer {
  readonly type: number | null;
  readonly r: ByteReader;
  readonly vlan: number | null;
}

/** Passes over what stands before the IP header. @returns null and @throws as `readPacket` */
export function ipIn(linkType: number, frame: Uint8Array): FoundIp | null {
  return ipBehind(linkLayer(linkType, frame));
}

/** The IP packet behind a link layer. @returns null and @throws as `readPacket` */
export function ipBehind({ type, r, vlan }: LinkLayer): FoundIp | null {
  if (type === ETHERTYPE_IPV4) return { r, version: 4, vlan };
  if (type === ETHERTYPE_IPV6) return { r, version: 6, vlan };
  return type === null ? byVersion(r) : null;
}

/** @throws {DecodeError} when the frame is cut or its link type is not known */
export function linkLayer(linkType: number, frame: Uint8Array): LinkLayer {
  const r = new ByteReader(frame);
  switch (linkType) {
    case LINK.ETHERNET: {
      r.skip(12, "Ethernet addresses");
      let type = r.u16("EtherType");
      let vlan: number | null = null;
      while (VLAN_TYPES.has(type)) {
        // IEEE 802.1Q: the lower twelve bits of the tag
        const tag = r.u16("VLAN tag");
        vlan ??= tag & 0x0fff;
        type = r.u16("EtherType");
      }
      return { type, r, vlan };
    }
    case LINK.SLL:
      r.skip(14, "cooked header");
      return { type: r.u16("protocol"), r, vlan: null };
    case LINK.SLL2: {
      const type = r.u16("protocol");
      r.skip(18, "cooked header");
      return { type, r, vlan: null };
    }
    case LINK.NULL:
    case LINK.LOOP:
      r.skip(4, "loopback header");
      return { type: null, r, vlan: null };
    case LINK.RAW:
    case LINK.RAW_BSD:
    case LINK.IPV4:
    case LINK.IPV6:
      return { type: null, r, vlan: null };
    default:
      throw new DecodeError(
        "UNSUPPORTED",
        0,
        `link type ${linkType} is not known; Ethernet, cooked, loopback and raw IP are`,
      );
  }
}

function byVersion(r: ByteReader): FoundIp | null {
  const bytes = r.slice(r.left, "packet");
  if (bytes.length === 0) throw new DecodeError("TRUNCATED", r.offset, "packet: expected an IP header, got nothing");
  const version = bytes[0]! >> 4;
  const inner = new ByteReader(bytes, false, r.offset - bytes.length);
  return version === 4 || version === 6 ? { r: inner, version, vlan: null } : null;
}

/** What the headers of an IP packet say, its extensions passed over. `r` stands behind them. */
export interface IpHeader {
  readonly r: ByteReader;
  /** 4 or 16 octets each, within the frame. */
  readonly src: Uint8Array;
  readonly dst: Uint8Array;
  readonly protocol: number;
  readonly tos: number;
  /** Octets of the packet, headers included, as it says itself. */
  readonly bytes: number;
  /** Octets behind the headers, as it says itself: of what was cut when it was captured there are fewer. */
  readonly payloadBytes: number;
  readonly fragment: IpPacket["fragment"];
}

/** @throws {DecodeError} when the header is cut or contradicts itself */
export const readIpHeader = ({ r, version }: FoundIp): IpHeader => (version === 4 ? ipv4Header(r) : ipv6Header(r));

function wholePacket(h: IpHeader): IpPacket {
  return {
    src: addressFromBytes(h.src),
    dst: addressFromBytes(h.dst),
    protocol: h.protocol,
    payload: h.r.slice(h.payloadBytes, "IP payload"),
    fragment: h.fragment,
  };
}

/** RFC 791 section 3.1. The total length is trusted over the frame's, which may be padded. */
function ipv4Header(r: ByteReader): IpHeader {
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
  r.skip(headerBytes - 20, "IPv4 options");
  // segmentation offload leaves the total length 0 in captures taken on the sender
  const payloadBytes = total === 0 ? r.left : total - headerBytes;
  if (payloadBytes < 0)
    throw new DecodeError("BAD_LENGTH", start + 2, `IPv4 total length: expected at least ${headerBytes}, got ${total}`);
  const offset = (flags & 0x1fff) * 8;
  const more = (flags & 0x2000) !== 0;
  const fragment = offset > 0 || more ? { id, offset, more } : null;
  return { r, src, dst, protocol, tos, bytes: headerBytes + payloadBytes, payloadBytes, fragment };
}

/** RFC 8200 sections 3 and 4. */
function ipv6Header(r: ByteReader): IpHeader {
  const first = r.u16("IPv6 version and class");
  r.skip(2, "IPv6 flow label");
  const said = r.u16("IPv6 payload length");
  let protocol = r.u8("IPv6 next header");
  r.skip(1, "IPv6 hop limit");
  const src = r.slice(16, "IPv6 source");
  const dst = r.slice(16, "IPv6 destination");
  const behind = said === 0 ? r.left : said;
  const begin = r.offset;
  let fragment: IpPacket["fragment"] = null;
  while (EXTENSIONS.has(protocol) || protocol === FRAGMENT) {
    const kind = protocol;
    protocol = r.u8("IPv6 extension: next header");
    const length = r.u8("IPv6 extension: length");
    if (kind === FRAGMENT) {
      const field = r.u16("IPv6 fragment offset");
      const id = r.u32("IPv6 fragment identification");
      fragment = { id, offset: field & 0xfff8, more: (field & 1) !== 0 };
      break;
    }
    r.skip(kind === 51 ? (length + 2) * 4 - 2 : (length + 1) * 8 - 2, "IPv6 extension");
  }
  const payloadBytes = behind - (r.offset - begin);
  if (payloadBytes < 0)
    throw new DecodeError(
      "BAD_LENGTH",
      begin,
      `IPv6 payload: its extensions are longer than the ${behind} octets of it`,
    );
  return { r, src, dst, protocol, tos: (first >> 4) & 0xff, bytes: 40 + behind, payloadBytes, fragment };
}
