import { AgedMap } from "../../base/collections/index.js";
import type { IpPacket } from "./packet.js";
import { type OrderedPiece, SegmentOrder } from "./segment-order.js";
import { readSegment, TCP_FLAG } from "./tcp-segment.js";

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
  readonly name: string;
  readonly order: SegmentOrder;
}

const MAX_STREAMS = 4096;

/** The streams of TCP connections, each direction by itself. Bounded: the oldest of 4,096 gives way. */
export class TcpStreams {
  private readonly directions = new AgedMap<string, Direction>();
  private connections = 0;

  *add(packet: IpPacket): Generator<StreamPiece> {
    const { srcPort, dstPort, sequence, flags, data } = readSegment(packet.payload);
    const syn = (flags & TCP_FLAG.syn) !== 0;
    const key = `${packet.src}:${srcPort} > ${packet.dst}:${dstPort}`;
    let direction = this.directions.get(key);
    if (syn || direction === undefined) {
      // a capture may start in the middle of a connection: then its first segment is where reading starts
      if (this.directions.size >= MAX_STREAMS) this.directions.dropOldest();
      direction = { name: `${key} #${++this.connections}`, order: new SegmentOrder(sequence) };
      this.directions.set(key, direction);
    }
    const { name, order } = direction;
    const piece = ({ bytes, missing }: OrderedPiece, ended: boolean): StreamPiece => ({
      stream: name,
      src: packet.src,
      srcPort,
      dstPort,
      // a frame's bytes may be used again
      bytes: new Uint8Array(bytes),
      ended,
      missing,
    });
    for (const p of order.add(sequence, data)) yield piece(p, false);
    if ((flags & (TCP_FLAG.fin | TCP_FLAG.rst)) !== 0) {
      for (const p of order.end()) yield piece(p, false);
      this.directions.delete(key);
      yield piece({ bytes: new Uint8Array(0), missing: 0 }, true);
    }
  }
}
