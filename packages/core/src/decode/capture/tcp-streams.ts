import { ByteReader } from "../../base/bytes/index.js";
import type { IpPacket } from "./packet.js";

/** Bytes of one direction of a TCP connection, in order. */
export interface StreamPiece {
  /** Names the direction: `src:port > dst:port`, with a number where the same ports were used again. */
  readonly stream: string;
  readonly src: string;
  readonly srcPort: number;
  readonly dstPort: number;
  readonly bytes: Uint8Array;
  readonly ended: boolean;
  /** Bytes missing before this piece, skipped because they never came. */
  readonly missing: number;
}

interface Direction {
  name: string;
  next: number;
  readonly pending: Map<number, Uint8Array>;
  pendingBytes: number;
}

const MAX_PENDING_BYTES = 1024 * 1024;
const MAX_STREAMS = 4096;
const distance = (from: number, to: number): number => ((to - from + 0x80000000) >>> 0) - 0x80000000;

/** Puts TCP segments in order per direction (RFC 9293): retransmissions and overlaps are cut, gaps waited for in 1 MiB. */
export class TcpStreams {
  private readonly directions = new Map<string, Direction>();
  private connections = 0;

  *add(packet: IpPacket): Generator<StreamPiece> {
    const r = new ByteReader(packet.payload);
    const srcPort = r.u16("TCP source port");
    const dstPort = r.u16("TCP destination port");
    const sequence = r.u32("TCP sequence number");
    r.skip(4, "TCP acknowledgement number");
    const headerBytes = (r.u8("TCP data offset") >> 4) * 4;
    const flags = r.u8("TCP flags");
    r.skip(Math.max(20, headerBytes) - 14, "TCP header");
    const data = r.slice(r.left, "TCP data");
    const fin = (flags & 1) !== 0;
    const syn = (flags & 2) !== 0;
    const reset = (flags & 4) !== 0;
    const key = `${packet.src}:${srcPort} > ${packet.dst}:${dstPort}`;
    let direction = this.directions.get(key);
    if (syn || direction === undefined) {
      // a capture may start in the middle of a connection: then its first segment is where reading starts
      if (this.directions.size >= MAX_STREAMS) this.directions.delete(this.directions.keys().next().value!);
      direction = {
        name: `${key} #${++this.connections}`,
        next: syn ? (sequence + 1) >>> 0 : sequence,
        pending: new Map(),
        pendingBytes: 0,
      };
      this.directions.set(key, direction);
    }
    const piece = (bytes: Uint8Array, ended: boolean, missing: number): StreamPiece => ({
      stream: direction.name,
      src: packet.src,
      srcPort,
      dstPort,
      bytes,
      ended,
      missing,
    });
    if (data.length > 0) {
      const start = syn ? (sequence + 1) >>> 0 : sequence;
      if (!direction.pending.has(start)) {
        direction.pending.set(start, new Uint8Array(data));
        direction.pendingBytes += data.length;
      }
      for (const bytes of drain(direction)) yield piece(bytes, false, 0);
      if (direction.pendingBytes > MAX_PENDING_BYTES) {
        const missing = skipGap(direction);
        for (const [i, bytes] of drain(direction).entries()) yield piece(bytes, false, i === 0 ? missing : 0);
      }
    }
    if (fin || reset) {
      const missing = direction.pendingBytes > 0 ? skipGap(direction) : 0;
      const rest = drain(direction);
      for (const [i, bytes] of rest.entries()) yield piece(bytes, false, i === 0 ? missing : 0);
      this.directions.delete(key);
      yield piece(new Uint8Array(0), true, 0);
    }
  }
}

/** The pending bytes that follow on, in order. */
function drain(direction: Direction): Uint8Array[] {
  const out: Uint8Array[] = [];
  for (let again = true; again; ) {
    again = false;
    for (const [start, bytes] of direction.pending) {
      const ahead = distance(direction.next, start);
      if (ahead > 0) continue;
      direction.pending.delete(start);
      direction.pendingBytes -= bytes.length;
      if (-ahead < bytes.length) {
        const fresh = bytes.subarray(-ahead);
        out.push(fresh);
        direction.next = (direction.next + fresh.length) >>> 0;
        again = true;
      }
    }
  }
  return out;
}

function skipGap(direction: Direction): number {
  let least = Number.POSITIVE_INFINITY;
  for (const start of direction.pending.keys()) least = Math.min(least, distance(direction.next, start));
  if (!Number.isFinite(least) || least <= 0) return 0;
  direction.next = (direction.next + least) >>> 0;
  return least;
}
