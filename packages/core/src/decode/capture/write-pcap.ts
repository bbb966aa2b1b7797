import { addressBytes } from "../../base/net/index.js";
import { type EpochUs, US_PER_SECOND } from "../../base/time/index.js";

const LINKTYPE_RAW = 101;

/** The header of a little-endian µs pcap file of raw IP packets. */
export function pcapHeader(): Uint8Array {
  const out = new Uint8Array(24);
  const view = new DataView(out.buffer);
  view.setUint32(0, 0xa1b2c3d4, true);
  view.setUint16(4, 2, true);
  view.setUint16(6, 4, true);
  view.setUint32(16, 262_144, true);
  view.setUint32(20, LINKTYPE_RAW, true);
  return out;
}

/** An IP packet as a pcap record. */
export function pcapPacket(timeUs: EpochUs, packet: Uint8Array): Uint8Array {
  const out = new Uint8Array(16 + packet.length);
  const view = new DataView(out.buffer);
  view.setUint32(0, Math.floor(timeUs / US_PER_SECOND), true);
  view.setUint32(4, timeUs % US_PER_SECOND, true);
  view.setUint32(8, packet.length, true);
  view.setUint32(12, packet.length, true);
  out.set(packet, 16);
  return out;
}

/** An IPv4 packet without options or checksum (RFC 791 section 3.1). Payloads of at most 65,515 bytes. */
export function ipv4Packet(src: string, dst: string, protocol: number, payload: Uint8Array): Uint8Array {
  const out = new Uint8Array(20 + payload.length);
  const view = new DataView(out.buffer);
  out[0] = 0x45;
  view.setUint16(2, out.length);
  out[8] = 64;
  out[9] = protocol;
  out.set(addressBytes(src), 12);
  out.set(addressBytes(dst), 16);
  out.set(payload, 20);
  return out;
}

/** One IPv4 UDP datagram as a pcap record. Payloads of at most 65,507 bytes. */
export function pcapDatagram(
  timeUs: EpochUs,
  src: string,
  srcPort: number,
  dst: string,
  dstPort: number,
  payload: Uint8Array,
): Uint8Array {
  const datagram = new Uint8Array(8 + payload.length);
  const view = new DataView(datagram.buffer);
  view.setUint16(0, srcPort);
  view.setUint16(2, dstPort);
  view.setUint16(4, datagram.length);
  datagram.set(payload, 8);
  return pcapPacket(timeUs, ipv4Packet(src, dst, 17, datagram));
}
