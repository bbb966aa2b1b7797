import { canonicalAddress } from "@halvik/core/base/net";
import {
  ACTIONS,
  CATEGORIES,
  type Count,
  type HalvikRecord,
  KINDS,
  MARKS,
  type Mark,
  OUTCOMES,
  type RecordContent,
  readCount,
  type Severity,
  severityName,
  TIME_REASONS,
} from "@halvik/core/model/record";
import type { CopyType, IdParts } from "./copy-binary.js";

/** A record on its way into a segment. */
export interface StoredContent {
  readonly id: IdParts;
  readonly sender: number;
  readonly endpoint: string;
  readonly copyOf: string | null;
  readonly content: RecordContent;
  /** Its message shape; its number is given before it is written. */
  readonly shape?: { readonly id: number } | null;
  /** Days it is kept by a rule of arrival. */
  readonly keepDays?: number | null;
}

/**
 * A content that was just decoded becomes its record in place: nobody else has it, and copying its many members takes longer than all rules of arrival do
 * (bench/arrival.ts). Without an id, for which no filter asks.
 */
export function recordInPlace({ content, sender, endpoint, copyOf, shape }: StoredContent): HalvikRecord {
  const record = content as { -readonly [K in keyof HalvikRecord]: HalvikRecord[K] };
  record.id = "";
  record.sender = sender;
  record.endpoint = endpoint;
  record.copyOf = copyOf;
  record.shape = shape?.id || null;
  return record;
}

/** The columns of a segment, in table order: name, COPY type, SQL type, value. One list for DDL, COPY and SELECT. */
export const RECORD_COLUMNS: readonly {
  name: string;
  copy: CopyType;
  sql: string;
  value: (r: StoredContent) => unknown;
}[] = [
  { name: "id", copy: "record id", sql: "bigint not null", value: (r) => r.id },
  { name: "time", copy: "int8", sql: "bigint not null", value: (r) => r.content.timeUs },
  { name: "received", copy: "int8", sql: "bigint not null", value: (r) => r.content.receivedUs },
  { name: "copy_of", copy: "id text", sql: "bigint", value: (r) => r.copyOf },
  { name: "sender", copy: "int4", sql: "integer not null", value: (r) => r.sender },
  { name: "src_port", copy: "int4", sql: "integer", value: (r) => r.content.srcPort },
  { name: "dst_port", copy: "int4", sql: "integer", value: (r) => r.content.dstPort },
  {
    name: "clock_offset_ms",
    copy: "int4",
    sql: "integer not null",
    value: (r) => r.content.clockOffsetMs,
  },
  { name: "marks", copy: "int4", sql: "integer not null", value: (r) => marksToBits(r.content.marks) },
  { name: "kind", copy: "int2", sql: "smallint not null", value: (r) => KINDS.indexOf(r.content.kind) },
  { name: "severity", copy: "int2", sql: "smallint not null", value: (r) => r.content.severity },
  { name: "facility", copy: "int2", sql: "smallint", value: (r) => r.content.facility },
  { name: "category", copy: "int2", sql: "smallint not null", value: (r) => CATEGORIES.indexOf(r.content.category) },
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
  { name: "protocol", copy: "int2", sql: "smallint", value: (r) => r.content.protocol },
  { name: "endpoint", copy: "text", sql: "text not null", value: (r) => r.endpoint },
  { name: "host", copy: "text", sql: "text", value: (r) => r.content.host },
  { name: "app", copy: "text", sql: "text", value: (r) => r.content.app },
  { name: "process", copy: "text", sql: "text", value: (r) => r.content.process },
  { name: "event", copy: "text", sql: "text", value: (r) => r.content.event },
  { name: "interface", copy: "text", sql: "text", value: (r) => r.content.interface },
  { name: "device_time", copy: "text", sql: "text", value: (r) => r.content.deviceTime },
  {
    name: "original_severity",
    copy: "text",
    sql: "text",
    value: (r) => (r.content.kind === "syslog" ? syslogOriginal(r.content) : r.content.originalSeverity),
  },
  { name: "bytes", copy: "int8", sql: "bigint", value: (r) => r.content.bytes },
  { name: "packets", copy: "int8", sql: "bigint", value: (r) => r.content.packets },
  { name: "src", copy: "inet", sql: "inet", value: (r) => r.content.src },
  { name: "dst", copy: "inet", sql: "inet", value: (r) => r.content.dst },
  { name: "other_addresses", copy: "inet[]", sql: "inet[]", value: (r) => emptyToNull(r.content.otherAddresses) },
  { name: "users", copy: "text[]", sql: "text[]", value: (r) => emptyToNull(r.content.users) },
  {
    name: "data",
    copy: "jsonb",
    sql: "jsonb",
    value: (r) => dataOrNull(r.content.data),
  },
  { name: "translated", copy: "jsonb", sql: "jsonb", value: (r) => r.content.translated },
  { name: "problem", copy: "jsonb", sql: "jsonb", value: (r) => r.content.problem },
  { name: "message", copy: "text", sql: "text not null", value: (r) => r.content.text },
  { name: "head", copy: "text", sql: "text not null", value: (r) => r.content.head },
  { name: "tail", copy: "text", sql: "text not null", value: (r) => r.content.tail },
  { name: "shape", copy: "int4", sql: "integer", value: (r) => r.shape?.id || null },
];

const emptyToNull = <T>(list: readonly T[]): readonly T[] | null => (list.length === 0 ? null : list);

/** Named values, null when there are none: `fitContent` has seen to it that jsonb holds them. */
export const dataOrNull = (data: RecordContent["data"]): RecordContent["data"] | null =>
  data.length === 0 ? null : data;

/** A syslog record's original severity is mostly its severity, and then not kept: unless no valid PRI came, or it was given another one. */
const syslogOriginal = ({ originalSeverity, severity }: RecordContent): string | null =>
  originalSeverity === null ? "none" : originalSeverity === severityName(severity) ? null : originalSeverity;

export function marksToBits(marks: RecordContent["marks"]): number {
  let bits = 0;
  for (const mark of marks) bits |= 1 << MARKS.indexOf(mark);
  return bits;
}

const NO_MARKS: readonly Mark[] = [];
export const marksOfBits = (bits: number): readonly Mark[] =>
  bits === 0 ? NO_MARKS : MARKS.filter((_, i) => (bits & (1 << i)) !== 0);

export const COPY_TYPES: readonly CopyType[] = RECORD_COLUMNS.map((c) => c.copy);
export const COPY_COLUMNS = RECORD_COLUMNS.map((c) => c.name).join(", ");

/** What may exceed 2^53. */
const AS_TEXT = new Set(["id", "copy_of", "bytes", "packets"]);

/** What SELECT asks for: ids and counts as text, addresses without prefix length. */
const selected = (name: string): string =>
  AS_TEXT.has(name)
    ? `r.${name}::text as ${name}`
    : name === "src" || name === "dst"
      ? `host(r.${name}) as ${name}`
      : name === "other_addresses"
        ? "(select array_agg(host(a)) from unnest(r.other_addresses) a) as other_addresses"
        : `r.${name}`;
export const SELECT_COLUMNS = RECORD_COLUMNS.map((c) => selected(c.name)).join(", ");

/** What no field of the filter language shows: rules do without, and reading costs most of what they cost. */
const UNSEEN = new Set(["clock_offset_ms", "time_reason", "endpoint", "device_time", "translated", "head", "tail"]);
export const RULE_COLUMNS = RECORD_COLUMNS.map(({ name }) =>
  UNSEEN.has(name) ? `null as ${name}` : selected(name),
).join(", ");

/** A segment's row as the driver gives it. */
export interface RecordRow {
  id: string;
  time: number;
  received: number;
  copy_of: string | null;
  sender: number;
  src_port: number | null;
  dst_port: number | null;
  clock_offset_ms: number | null;
  marks: number;
  kind: number;
  severity: number;
  facility: number | null;
  category: number;
  outcome: number;
  action: number | null;
  time_reason: number | null;
  protocol: number | null;
  endpoint: string | null;
  host: string | null;
  app: string | null;
  process: string | null;
  event: string | null;
  interface: string | null;
  device_time: string | null;
  original_severity: string | null;
  bytes: string | null;
  packets: string | null;
  src: string | null;
  dst: string | null;
  other_addresses: string[] | null;
  users: string[] | null;
  data: [string, string][] | null;
  translated: HalvikRecord["translated"];
  problem: HalvikRecord["problem"];
  message: string;
  head: string | null;
  tail: string | null;
  shape: number | null;
}

export function toRecord(row: RecordRow): HalvikRecord {
  const kind = KINDS[row.kind] ?? "syslog";
  const original =
    kind !== "syslog"
      ? row.original_severity
      : row.original_severity === "none"
        ? null
        : (row.original_severity ?? severityName(row.severity));
  return {
    id: row.id,
    sender: row.sender,
    endpoint: row.endpoint ?? "",
    copyOf: row.copy_of,
    shape: row.shape,
    kind,
    timeUs: row.time,
    receivedUs: row.received,
    timeReason: TIME_REASONS[row.time_reason ?? 0] ?? "device",
    deviceTime: row.device_time,
    clockOffsetMs: row.clock_offset_ms ?? 0,
    severity: row.severity as Severity,
    originalSeverity: original,
    facility: row.facility,
    category: CATEGORIES[row.category] ?? "other",
    outcome: OUTCOMES[row.outcome] ?? "unknown",
    action: row.action === null ? null : (ACTIONS[row.action] ?? null),
    host: row.host,
    app: row.app,
    process: row.process,
    event: row.event,
    users: row.users ?? [],
    src: canonical(row.src),
    dst: canonical(row.dst),
    srcPort: row.src_port,
    dstPort: row.dst_port,
    protocol: row.protocol,
    interface: row.interface,
    bytes: countOf(row.bytes),
    packets: countOf(row.packets),
    flow: null,
    translated: row.translated,
    otherAddresses: (row.other_addresses ?? []).map((a) => canonical(a)),
    text: row.message,
    data: row.data ?? [],
    head: row.head ?? "",
    tail: row.tail ?? "",
    raw: null,
    marks: marksOfBits(row.marks),
    problem: row.problem,
  };
}

/** A count as the driver gives it. */
export const countOf = (text: string | null): Count | null => (text === null ? null : readCount(text));

/** PostgreSQL writes `::1.2.3.4` where RFC 5952 has `::102:304`; the rest is alike. */
export function canonical<T extends string | null>(address: T): T {
  return address?.includes(":") && address.includes(".") ? (canonicalAddress(address) as T) : address;
}
