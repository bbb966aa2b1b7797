import { ipv4Text, ipv6Text } from "./addresses.js";
import type { FlowRecord } from "./flow-record.js";

const ETHERNET = 1;
const IPV4 = 11;
const IPV6 = 12;
const VLAN_TAGS = [0x8100, 0x88a8, 0x9100];

/**
 * What the first bytes of a sampled packet tell (sFlow version 5, header protocols). They are cut anywhere: what is not
 * there stays null.
 */
export function readSampledHeader(protocol: number, bytes: Uint8Array, f: FlowRecord): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (protocol === IPV4) readIpv4(bytes, view, 0, f);
  else if (protocol === IPV6) readIpv6(bytes, view, 0, f);
  else if (protocol === ETHERNET && bytes.length >= 14) readEthernet(bytes, view, f);
}

function readEthernet(bytes: Uint8Array, view: DataView, f: FlowRecord): void {
  let at = 12;
  let type = view.getUint16(at);
  at += 2;
  // up to two tags, one within the other
  for (let i = 0; i < 2 && VLAN_TAGS.includes(type) && at + 4 <= bytes.length; i++) {
    f.vlan ??= view.getUint16(at) & 0x0fff;
    type = view.getUint16(at + 2);
    at += 4;
  }
  if (type === 0x0800) readIpv4(bytes, view, at, f);
  else if (type === 0x86dd) readIpv6(bytes, view, at, f);
}

function readIpv4(bytes: Uint8Array, view: DataView, at: number, f: FlowRecord): void {
  if (at + 20 > bytes.length || bytes[at]! >> 4 !== 4) return;
  f.tos = bytes[at + 1]!;
  f.protocol = bytes[at + 9]!;
  f.src = ipv4Text(view.getUint32(at + 12));
  f.dst = ipv4Text(view.getUint32(at + 16));
  // only the first fragment has ports
  if ((view.getUint16(at + 6) & 0x1fff) === 0) readTransport(bytes, view, at + (bytes[at]! & 15) * 4, f);
}

const EXTENSION_HEADERS = [0, 43, 60, 135];
const FRAGMENT = 44;
/** Its length counts in fours, less two (RFC 4302 section 2.2). */
const AUTHENTICATION = 51;

function readIpv6(bytes: Uint8Array, view: DataView, start: number, f: FlowRecord): void {
  if (start + 40 > bytes.length || bytes[start]! >> 4 !== 6) return;
  f.tos = (view.getUint16(start) >> 4) & 255;
  f.src = ipv6Text(bytes.subarray(start + 8, start + 24));
  f.dst = ipv6Text(bytes.subarray(start + 24, start + 40));
  let next = bytes[start + 6]!;
  let at = start + 40;
  for (let i = 0; i < 8 && at + 8 <= bytes.length; i++) {
    if (next === FRAGMENT) {
      const first = (view.getUint16(at + 2) & 0xfff8) === 0;
      next = bytes[at]!;
      at += 8;
      if (!first) {
        f.protocol = next;
        return;
      }
    } else if (EXTENSION_HEADERS.includes(next)) {
      next = bytes[at]!;
      at += (bytes[at + 1]! + 1) * 8;
    } else if (next === AUTHENTICATION) {
      next = bytes[at]!;
      at += (bytes[at + 1]! + 2) * 4;
    } else break;
  }
  // cut within them: what is carried is not known
  if (next === FRAGMENT || next === AUTHENTICATION || EXTENSION_HEADERS.includes(next)) return;
  f.protocol = next;
  readTransport(bytes, view, at, f);
}

function readTransport(bytes: Uint8Array, view: DataView, at: number, f: FlowRecord): void {
  if (at + 2 > bytes.length) return;
  if (f.protocol === 1 || f.protocol === 58) {
    f.icmp = view.getUint16(at);
    return;
  }
  if (f.protocol !== 6 && f.protocol !== 17 && f.protocol !== 132) return;
  if (at + 4 > bytes.length) return;
  f.srcPort = view.getUint16(at);
  f.dstPort = view.getUint16(at + 2);
  if (f.protocol === 6 && at + 14 <= bytes.length) f.tcpFlags = bytes[at + 13]!;
}
