import { type Arrival, PROTOCOLS } from "./arrival.js";

const ARRIVAL_HEAD_BYTES = 15;

/** Arrivals as octets, as the spool and the quarantine keep them. One allocation: three small buffers an arrival would be the collector's most garbage when it is busiest. */
export function encodeArrivals(arrivals: readonly Arrival[], headBytes = 0): Buffer {
  let size = headBytes + 4;
  for (const a of arrivals)
    size += ARRIVAL_HEAD_BYTES + Buffer.byteLength(a.endpoint) + Buffer.byteLength(a.peer) + a.bytes.length;
  const out = Buffer.allocUnsafe(size);
  out.writeUInt32BE(arrivals.length, headBytes);
  let at = headBytes + 4;
  for (const a of arrivals) {
    out.writeDoubleBE(a.receivedUs, at);
    out[at + 8] = (a.held ? 1 : 0) | (PROTOCOLS.indexOf(a.protocol) << 1);
    const text = at + ARRIVAL_HEAD_BYTES;
    const endpointBytes = out.write(a.endpoint, text, "utf8");
    const peerBytes = out.write(a.peer, text + endpointBytes, "utf8");
    out[at + 9] = endpointBytes;
    out[at + 10] = peerBytes;
    out.writeUInt32BE(a.bytes.length, at + 11);
    out.set(a.bytes, text + endpointBytes + peerBytes);
    at = text + endpointBytes + peerBytes + a.bytes.length;
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
    const end = peerEnd + body.readUInt32BE(at + 11);
    if (end > body.length) throw new RangeError(`arrivals: expected ${end} bytes, got ${body.length}`);
    arrivals.push({
      receivedUs,
      held: (flags & 1) === 1,
      protocol: PROTOCOLS[flags >> 1] ?? "syslog",
      endpoint: body.toString("utf8", at + ARRIVAL_HEAD_BYTES, endpointEnd),
      peer: body.toString("utf8", endpointEnd, peerEnd),
      bytes: body.subarray(peerEnd, end),
    });
    at = end;
  }
  return arrivals;
}
