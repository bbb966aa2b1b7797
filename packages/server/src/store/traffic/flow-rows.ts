import type { Count } from "@halvik/core/model/record";
import type { FlowSeen } from "@halvik/core/traffic";
import type { CopiedColumn } from "../copy-out.js";
import { FLOW_COLUMNS as STORED_COLUMNS } from "../flow-columns.js";
import { canonical } from "../record-columns.js";

/** What traffic is counted from; in this order it is read. */
const NAMES = [
  "id",
  "sender",
  "time",
  "start",
  "src",
  "dst",
  "src_port",
  "dst_port",
  "protocol",
  "bytes",
  "packets",
  "reverse_bytes",
  "reverse_packets",
  "ingress",
  "egress",
  "direction",
  "tos",
  "tcp_flags",
  "src_as",
  "dst_as",
  "application",
  "sampling",
];

/** The same as columns that are copied. */
export const COPIED_FLOW_COLUMNS: readonly CopiedColumn[] = NAMES.map(
  (name) => STORED_COLUMNS.find((c) => c.name === name)!,
);

/** The same as SQL, of a segment's table `r`. */
export const FLOW_COLUMNS = COPIED_FLOW_COLUMNS.map(({ name, copy }) =>
  name === "id"
    ? "r.id::text"
    : copy === "inet"
      ? `host(r.${name})`
      : /bytes|packets/.test(name)
        ? `r.${name}::float8`
        : `r.${name}`,
).join(", ");

/** A row of them, as an array; COPY gives counts that exceed a number as a bigint. */
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
  bytes: Count | null,
  packets: Count | null,
  reverseBytes: Count | null,
  reversePackets: Count | null,
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
  bytes: Math.min(Number(r[9] ?? 0), MOST),
  packets: Math.min(Number(r[10] ?? 0), MOST),
  reverseBytes: Math.min(Number(r[11] ?? 0), MOST),
  reversePackets: Math.min(Number(r[12] ?? 0), MOST),
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
