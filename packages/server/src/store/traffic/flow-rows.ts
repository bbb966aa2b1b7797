import type { FlowSeen } from "@halvik/core/traffic";
import { canonical } from "../record-columns.js";

/** What traffic is counted from, of a segment's table `r`; in this order it is read. */
export const FLOW_COLUMNS = [
  "r.id::text",
  "r.sender",
  "r.time",
  "r.start",
  "host(r.src)",
  "host(r.dst)",
  "r.src_port",
  "r.dst_port",
  "r.protocol",
  "r.bytes::float8",
  "r.packets::float8",
  "r.reverse_bytes::float8",
  "r.reverse_packets::float8",
  "r.ingress",
  "r.egress",
  "r.direction",
  "r.tos",
  "r.tcp_flags",
  "r.src_as",
  "r.dst_as",
  "r.application",
  "r.sampling",
].join(", ");

/** A row of them, as an array. */
export type FlowRow = [
  id: string,
  sender: number,
  timeUs: number,
  startUs: number | null,
  src: string | null,
  dst: string | null,
  srcPort: number | null,
  dstPort: number | null,
  protocol: number | null,
  bytes: number | null,
  packets: number | null,
  reverseBytes: number | null,
  reversePackets: number | null,
  ingress: number | null,
  egress: number | null,
  direction: number | null,
  tos: number | null,
  tcpFlags: number | null,
  srcAs: number | null,
  dstAs: number | null,
  application: string | null,
  sampling: number | null,
];

const MOST = Number.MAX_SAFE_INTEGER;
/** As core counts it. What is greater than a number can say exactly counts as the greatest that can. */
export const flowSeen = (r: FlowRow): FlowSeen => ({
  sender: r[1],
  timeUs: r[2],
  startUs: r[3],
  src: canonical(r[4]),
  dst: canonical(r[5]),
  srcPort: r[6],
  dstPort: r[7],
  protocol: r[8],
  bytes: Math.min(r[9] ?? 0, MOST),
  packets: Math.min(r[10] ?? 0, MOST),
  reverseBytes: Math.min(r[11] ?? 0, MOST),
  reversePackets: Math.min(r[12] ?? 0, MOST),
  ingress: r[13],
  egress: r[14],
  direction: r[15],
  tos: r[16],
  tcpFlags: r[17],
  srcAs: r[18],
  dstAs: r[19],
  application: r[20],
  samplingRate: r[21] ?? 1,
});

/** What was heard is one lane, each import another. */
export const laneOf = (job: number | null): string => (job === null ? "heard" : `import ${job}`);
