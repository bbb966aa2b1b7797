import { type Arrival, PROTOCOLS } from "./arrival.js";

const ARRIVAL_HEAD_BYTES = 15;
const HELD = 1;
const PROTOCOL = 0b0000_1110;
const CUT = 0b0001_0000;
/** A key of 32 octets stands before the bytes. */
const KEYED = 0b1000_0000;
const KEY_BYTES = 32;

/** Arrivals as octets, as the spool and the quarantine keep them. One allocation: three small buffers an arrival would be the collector's most garbage when it is busiest. */
export function encodeArrivals(arrivals: readonly Arrival[], headBytes = 0): Buffer {
  let size = headBytes + 4;
  for (const a of arrivals)
    size +=
      ARRIVAL_HEAD_BYTES +
      Buffer.byteLength(a.endpoint) +
      Buffer.byteLength(a.peer) +
      (a.requestKey === undefined ? 0 : KEY_BYTES) +
      a.bytes.length;
  const out = Buffer.allocUnsafe(size);
  out.writeUInt32BE(arrivals.length, headBytes);
  let at = headBytes + 4;
  for (const a of arrivals) {
    out.writeDoubleBE(a.receivedUs, at);
    const keyed = a.requestKey !== undefined;
    out[at + 8] = (a.held ? HELD : 0) | (PROTOCOLS.indexOf(a.protocol) << 1) | (a.cut ? CUT : 0) | (keyed ? KEYED : 0);
    const text = at + ARRIVAL_HEAD_BYTES;
    const endpointBytes = out.write(a.endpoint, text, "utf8");
    const peerBytes = out.write(a.peer, text + endpointBytes, "utf8");
    out[at + 9] = endpointBytes;
    out[at + 10] = peerBytes;
    out.writeUInt32BE(a.bytes.length, at + 11);
    at = text + endpointBytes + peerBytes;
    if (keyed) at += out.write(a.requestKey!, at, KEY_BYTES, "hex");
    out.set(a.bytes, at);
    at += a.bytes.length;
  }
  return out;
}

/** @throws {RangeError} when they are not whole */
export function decodeArrivals(body: Buffer, headBytes = 0): Arrival[] {
  const arrivals: Arrival[] = [];
  let at = headBytes + 4;
  for (let i = body.readUInt32BE(headBytes); i > 0; i--) {
    const receivedUs = body.readDoubleBE(at);
    const flags = body[at + 8]!;
    const endpointEnd = at + ARRIVAL_HEAD_BYTES + body[at + 9]!;
    const peerEnd = endpointEnd + body[at + 10]!;
    const begin = peerEnd + (flags & KEYED ? KEY_BYTES : 0);
    const end = begin + body.readUInt32BE(at + 11);
    if (end > body.length) throw new RangeError(`arrivals: expected ${end} bytes, got ${body.length}`);
    arrivals.push({
      receivedUs,
      held: (flags & HELD) !== 0,
      protocol: PROTOCOLS[(flags & PROTOCOL) >> 1] ?? "syslog",
      endpoint: body.toString("utf8", at + ARRIVAL_HEAD_BYTES, endpointEnd),
      peer: body.toString("utf8", endpointEnd, peerEnd),
      ...(flags & KEYED ? { requestKey: body.toString("hex", peerEnd, begin) } : {}),
      ...(flags & CUT ? { cut: true } : {}),
      bytes: body.subarray(begin, end),
    });
    at = end;
  }
  return arrivals;
}
