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

/** One IPv4 UDP datagram as a pcap record. Payloads of at most 65,507 bytes. */
export function pcapDatagram(
  timeUs: EpochUs,
  src: string,
  srcPort: number,
  dst: string,
  dstPort: number,
  payload: Uint8Array,
): Uint8Array {
  const ipBytes = 28 + payload.length;
  const out = new Uint8Array(16 + ipBytes);
  const view = new DataView(out.buffer);
  view.setUint32(0, Math.floor(timeUs / US_PER_SECOND), true);
  view.setUint32(4, timeUs % US_PER_SECOND, true);
  view.setUint32(8, ipBytes, true);
  view.setUint32(12, ipBytes, true);
  out[16] = 0x45;
  view.setUint16(18, ipBytes);
  out[24] = 64;
  out[25] = 17;
  out.set(addressBytes(src), 28);
  out.set(addressBytes(dst), 32);
  view.setUint16(36, srcPort);
  view.setUint16(38, dstPort);
  view.setUint16(40, 8 + payload.length);
  out.set(payload, 44);
  return out;
}
