import type { FlowFacts, HalvikRecord, Severity } from "@halvik/core/model/record";
import { ACTIONS, emptyContent, OUTCOMES, TIME_REASONS } from "@halvik/core/model/record";
import type { CopyType } from "./copy-binary.js";
import { canonical, countOf, dataOrNull, marksOfBits, marksToBits, type StoredContent } from "./record-columns.js";

/** The severity of every flow (`docs/semantics.md` 14). */
export const FLOW_SEVERITY: Severity = 6;

const facts =
  (get: (f: FlowFacts) => unknown) =>
  ({ content }: StoredContent): unknown =>
    content.flow === null ? null : get(content.flow);

/** The columns of a flow segment, in table order: lean, since flows are many. Bytes and packets are as in the record. */
export const FLOW_COLUMNS: readonly {
  name: string;
  copy: CopyType;
  sql: string;
  value: (r: StoredContent) => unknown;
}[] = [
  { name: "id", copy: "record id", sql: "bigint not null", value: (r) => r.id },
  { name: "time", copy: "int8", sql: "bigint not null", value: (r) => r.content.timeUs },
  { name: "received", copy: "int8", sql: "bigint not null", value: (r) => r.content.receivedUs },
  { name: "start", copy: "int8", sql: "bigint", value: facts((f) => f.startUs) },
  { name: "bytes", copy: "int8", sql: "bigint", value: (r) => r.content.bytes },
  { name: "packets", copy: "int8", sql: "bigint", value: (r) => r.content.packets },
  { name: "ingress", copy: "int8", sql: "bigint", value: facts((f) => f.ingress) },
  { name: "egress", copy: "int8", sql: "bigint", value: facts((f) => f.egress) },
  { name: "src_as", copy: "int8", sql: "bigint", value: facts((f) => f.srcAs) },
  { name: "dst_as", copy: "int8", sql: "bigint", value: facts((f) => f.dstAs) },
  { name: "domain", copy: "int8", sql: "bigint", value: facts((f) => f.domain) },
  { name: "sequence", copy: "int8", sql: "bigint", value: facts((f) => f.sequence) },
  { name: "reverse_bytes", copy: "int8", sql: "bigint", value: facts((f) => f.reverseBytes) },
  { name: "reverse_packets", copy: "int8", sql: "bigint", value: facts((f) => f.reversePackets) },
  { name: "sender", copy: "int4", sql: "integer not null", value: (r) => r.sender },
  { name: "src_port", copy: "int4", sql: "integer", value: (r) => r.content.srcPort },
  { name: "dst_port", copy: "int4", sql: "integer", value: (r) => r.content.dstPort },
  {
    name: "sampling",
    copy: "int4",
    sql: "integer",
    value: facts((f) => (f.samplingRate === 1 ? null : f.samplingRate)),
  },
  { name: "tcp_flags", copy: "int4", sql: "integer", value: facts((f) => f.tcpFlags) },
  { name: "icmp", copy: "int4", sql: "integer", value: facts((f) => f.icmp) },
  { name: "vlan", copy: "int4", sql: "integer", value: facts((f) => f.vlan) },
  { name: "clock_offset_ms", copy: "int4", sql: "integer", value: (r) => r.content.clockOffsetMs || null },
  { name: "marks", copy: "int4", sql: "integer not null", value: (r) => marksToBits(r.content.marks) },
  { name: "protocol", copy: "int2", sql: "smallint", value: (r) => r.content.protocol },
  { name: "tos", copy: "int2", sql: "smallint", value: facts((f) => f.tos) },
  { name: "src_mask", copy: "int2", sql: "smallint", value: facts((f) => f.srcMask) },
  { name: "dst_mask", copy: "int2", sql: "smallint", value: facts((f) => f.dstMask) },
  { name: "direction", copy: "int2", sql: "smallint", value: facts((f) => f.direction) },
  { name: "outcome", copy: "int2", sql: "smallint not null", value: (r) => OUTCOMES.indexOf(r.content.outcome) },
  {
    name: "action",
    copy: "int2",
    sql: "smallint",
    value: (r) => (r.content.action === null ? null : ACTIONS.indexOf(r.content.action)),
  },
  {
    name: "time_reason",
    copy: "int2",
    sql: "smallint not null",
    value: (r) => TIME_REASONS.indexOf(r.content.timeReason),
  },
  { name: "src", copy: "inet", sql: "inet", value: (r) => r.content.src },
  { name: "dst", copy: "inet", sql: "inet", value: (r) => r.content.dst },
  { name: "next_hop", copy: "inet", sql: "inet", value: facts((f) => f.nextHop) },
  { name: "endpoint", copy: "text", sql: "text not null", value: (r) => r.endpoint },
  { name: "application", copy: "text", sql: "text", value: facts((f) => f.application) },
  { name: "translated", copy: "jsonb", sql: "jsonb", value: (r) => r.content.translated },
  { name: "data", copy: "jsonb", sql: "jsonb", value: (r) => dataOrNull(r.content.data) },
  { name: "problem", copy: "jsonb", sql: "jsonb", value: (r) => r.content.problem },
];

export const FLOW_COPY_TYPES: readonly CopyType[] = FLOW_COLUMNS.map((c) => c.copy);
export const FLOW_COPY_COLUMNS = FLOW_COLUMNS.map((c) => c.name).join(", ");

/** What may exceed 2^53. */
const AS_TEXT = new Set(["id", "bytes", "packets", "reverse_bytes", "reverse_packets"]);

/** What SELECT asks of a flow segment. */
const selected = ({ name, copy }: (typeof FLOW_COLUMNS)[number]): string =>
  AS_TEXT.has(name) ? `r.${name}::text as ${name}` : copy === "inet" ? `host(r.${name}) as ${name}` : `r.${name}`;
export const FLOW_SELECT_COLUMNS = FLOW_COLUMNS.map(selected).join(", ");

/** What no field of the filter language shows: rules do without. */
const UNSEEN = new Set([
  "start",
  "domain",
  "sequence",
  "reverse_bytes",
  "reverse_packets",
  "sampling",
  "icmp",
  "vlan",
  "clock_offset_ms",
  "src_mask",
  "dst_mask",
  "direction",
  "time_reason",
  "next_hop",
  "endpoint",
  "translated",
]);
export const FLOW_RULE_COLUMNS = FLOW_COLUMNS.map((c) => (UNSEEN.has(c.name) ? `null as ${c.name}` : selected(c))).join(
  ", ",
);

export interface FlowRow {
  id: string;
  time: number;
  received: number;
  start: number | null;
  bytes: string | null;
  packets: string | null;
  ingress: number | null;
  egress: number | null;
  src_as: number | null;
  dst_as: number | null;
  domain: number | null;
  sequence: number | null;
  reverse_bytes: string | null;
  reverse_packets: string | null;
  sender: number;
  src_port: number | null;
  dst_port: number | null;
  sampling: number | null;
  tcp_flags: number | null;
  icmp: number | null;
  vlan: number | null;
  clock_offset_ms: number | null;
  marks: number;
  protocol: number | null;
  tos: number | null;
  src_mask: number | null;
  dst_mask: number | null;
  direction: number | null;
  outcome: number;
  action: number | null;
  time_reason: number | null;
  src: string | null;
  dst: string | null;
  next_hop: string | null;
  endpoint: string | null;
  application: string | null;
  translated: HalvikRecord["translated"];
  data: [string, string][] | null;
  problem: HalvikRecord["problem"];
}

export function toFlowRecord(row: FlowRow): HalvikRecord {
  // filled in, not spread: see emptyContent
  const content = emptyContent("flow", row.time, row.received);
  content.timeReason = TIME_REASONS[row.time_reason ?? 0] ?? "device";
  content.clockOffsetMs = row.clock_offset_ms ?? 0;
  content.severity = FLOW_SEVERITY;
  content.category = "traffic";
  content.outcome = OUTCOMES[row.outcome] ?? "unknown";
  content.action = row.action === null ? null : (ACTIONS[row.action] ?? null);
  content.src = canonical(row.src);
  content.dst = canonical(row.dst);
  content.srcPort = row.src_port;
  content.dstPort = row.dst_port;
  content.protocol = row.protocol;
  content.bytes = countOf(row.bytes);
  content.packets = countOf(row.packets);
  content.flow = {
    startUs: row.start,
    ingress: row.ingress,
    egress: row.egress,
    tos: row.tos,
    tcpFlags: row.tcp_flags,
    icmp: row.icmp,
    srcAs: row.src_as,
    dstAs: row.dst_as,
    srcMask: row.src_mask,
    dstMask: row.dst_mask,
    nextHop: canonical(row.next_hop),
    vlan: row.vlan,
    direction: row.direction,
    application: row.application,
    reverseBytes: countOf(row.reverse_bytes),
    reversePackets: countOf(row.reverse_packets),
    samplingRate: row.sampling ?? 1,
    domain: row.domain ?? 0,
    sequence: row.sequence ?? 0,
  };
  content.translated = row.translated;
  content.data = row.data ?? [];
  content.marks = marksOfBits(row.marks);
  content.problem = row.problem;
  return Object.assign(content, {
    id: row.id,
    sender: row.sender,
    endpoint: row.endpoint ?? "",
    copyOf: null,
    shape: null,
  });
}
