import { ByteReader } from "../../base/bytes/index.js";

/** TCP flags (RFC 9293 section 3.1). */
export const TCP_FLAG = { fin: 1, syn: 2, rst: 4, ack: 16 } as const;

/** A TCP segment. */
export interface TcpSegment {
  readonly srcPort: number;
  readonly dstPort: number;
  /** Sequence number of the first octet of `data`. */
  readonly sequence: number;
  readonly flags: number;
  readonly data: Uint8Array;
}

/** @throws {DecodeError} when its header is cut (RFC 9293 section 3.1) */
export function readSegment(payload: Uint8Array): TcpSegment {
  const r = new ByteReader(payload);
  const srcPort = r.u16("TCP source port");
  const dstPort = r.u16("TCP destination port");
  const sequence = r.u32("TCP sequence number");
  r.skip(4, "TCP acknowledgement number");
  const headerBytes = (r.u8("TCP data offset") >> 4) * 4;
  const flags = r.u8("TCP flags");
  r.skip(Math.max(20, headerBytes) - 14, "TCP header");
  return {
    srcPort,
    dstPort,
    // a SYN takes a number itself
    sequence: (flags & TCP_FLAG.syn) !== 0 ? (sequence + 1) >>> 0 : sequence,
    flags,
    data: r.slice(r.left, "TCP data"),
  };
}
