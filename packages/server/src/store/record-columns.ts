import { canonicalAddress } from "@halvik/core/base/net";
import {
  ACTIONS,
  CATEGORIES,
  type Count,
  emptyContent,
  type HalvikRecord,
  KINDS,
  MARKS,
  type Mark,
  OUTCOMES,
  type RecordContent,
  type RecordKind,
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

/** A record on its way into a segment, while it is being made. */
export type StoredDraft = { -readonly [K in keyof StoredContent]-?: StoredContent[K] };

/**
 * A content that was just decoded becomes its record in place: nobody else has it, and copying its many members takes longer than all rules of arrival do
 * (bench/arrival.ts). Without an id, for which no filter asks.
 */
export function recordInPlace({ content, sender, endpoint, copyOf, shape }: StoredContent): HalvikRecord {
  const record = content as RecordDraft;
  record.id = "";
  record.sender = sender;
  record.endpoint = endpoint;
  record.copyOf = copyOf;
  record.shape = shape?.id || null;
  return record;
}

/** A record that is being read. */
export type RecordDraft = { -readonly [K in keyof HalvikRecord]: HalvikRecord[K] };

/** A column of a segment's table: how it is written, and what a value of it that is not null says of a record. */
export interface Column<D> {
  readonly name: string;
  readonly copy: CopyType;
  readonly sql: string;
  readonly value: (r: StoredContent) => unknown;
  readonly put: (record: D, value: never) => void;
}

/** The columns of a segment, in table order. One list for DDL, COPY, SELECT and what is read. */
export const RECORD_COLUMNS: readonly Column<RecordDraft>[] = [
  {
    name: "id",
    copy: "record id",
    sql: "bigint not null",
    value: (r) => r.id,
    put: (r, id: string) => {
      r.id = id;
    },
  },
  {
    name: "time",
    copy: "int8",
    sql: "bigint not null",
    value: (r) => r.content.timeUs,
    put: (r, us: number) => {
      r.timeUs = us;
    },
  },
  {
    name: "received",
    copy: "int8",
    sql: "bigint not null",
    value: (r) => r.content.receivedUs,
    put: (r, us: number) => {
      r.receivedUs = us;
    },
  },
  {
    name: "copy_of",
    copy: "id text",
    sql: "bigint",
    value: (r) => r.copyOf,
    put: (r, id: string) => {
      r.copyOf = id;
    },
  },
  {
    name: "sender",
    copy: "int4",
    sql: "integer not null",
    value: (r) => r.sender,
    put: (r, sender: number) => {
      r.sender = sender;
    },
  },
  {
    name: "src_port",
    copy: "int4",
    sql: "integer",
    value: (r) => r.content.srcPort,
    put: (r, port: number) => {
      r.srcPort = port;
    },
  },
  {
    name: "dst_port",
    copy: "int4",
    sql: "integer",
    value: (r) => r.content.dstPort,
    put: (r, port: number) => {
      r.dstPort = port;
    },
  },
  {
    name: "clock_offset_ms",
    copy: "int4",
    sql: "integer not null",
    value: (r) => r.content.clockOffsetMs,
    put: (r, ms: number) => {
      r.clockOffsetMs = ms;
    },
  },
  {
    name: "marks",
    copy: "int4",
    sql: "integer not null",
    value: (r) => marksToBits(r.content.marks),
    put: (r, bits: number) => {
      r.marks = marksOfBits(bits);
    },
  },
  {
    name: "kind",
    copy: "int2",
    sql: "smallint not null",
    value: (r) => KINDS.indexOf(r.content.kind),
    put: (r, kind: number) => {
      r.kind = KINDS[kind] ?? "syslog";
    },
  },
  {
    name: "severity",
    copy: "int2",
    sql: "smallint not null",
    value: (r) => r.content.severity,
    put: (r, severity: Severity) => {
      r.severity = severity;
    },
  },
  {
    name: "facility",
    copy: "int2",
    sql: "smallint",
    value: (r) => r.content.facility,
    put: (r, facility: number) => {
      r.facility = facility;
    },
  },
  {
    name: "category",
    copy: "int2",
    sql: "smallint not null",
    value: (r) => CATEGORIES.indexOf(r.content.category),
    put: (r, category: number) => {
      r.category = CATEGORIES[category] ?? "other";
    },
  },
  {
    name: "outcome",
    copy: "int2",
    sql: "smallint not null",
    value: (r) => OUTCOMES.indexOf(r.content.outcome),
    put: (r, outcome: number) => {
      r.outcome = OUTCOMES[outcome] ?? "unknown";
    },
  },
  {
    name: "action",
    copy: "int2",
    sql: "smallint",
    value: (r) => (r.content.action === null ? null : ACTIONS.indexOf(r.content.action)),
    put: (r, action: number) => {
      r.action = ACTIONS[action] ?? null;
    },
  },
  {
    name: "time_reason",
    copy: "int2",
    sql: "smallint not null",
    value: (r) => TIME_REASONS.indexOf(r.content.timeReason),
    put: (r, reason: number) => {
      r.timeReason = TIME_REASONS[reason] ?? "device";
    },
  },
  {
    name: "protocol",
    copy: "int2",
    sql: "smallint",
    value: (r) => r.content.protocol,
    put: (r, protocol: number) => {
      r.protocol = protocol;
    },
  },
  {
    name: "endpoint",
    copy: "text",
    sql: "text not null",
    value: (r) => r.endpoint,
    put: (r, endpoint: string) => {
      r.endpoint = endpoint;
    },
  },
  {
    name: "host",
    copy: "text",
    sql: "text",
    value: (r) => r.content.host,
    put: (r, host: string) => {
      r.host = host;
    },
  },
  {
    name: "app",
    copy: "text",
    sql: "text",
    value: (r) => r.content.app,
    put: (r, app: string) => {
      r.app = app;
    },
  },
  {
    name: "process",
    copy: "text",
    sql: "text",
    value: (r) => r.content.process,
    put: (r, process: string) => {
      r.process = process;
    },
  },
  {
    name: "event",
    copy: "text",
    sql: "text",
    value: (r) => r.content.event,
    put: (r, event: string) => {
      r.event = event;
    },
  },
  {
    name: "interface",
    copy: "text",
    sql: "text",
    value: (r) => r.content.interface,
    put: (r, name: string) => {
      r.interface = name;
    },
  },
  {
    name: "device_time",
    copy: "text",
    sql: "text",
    value: (r) => r.content.deviceTime,
    put: (r, time: string) => {
      r.deviceTime = time;
    },
  },
  {
    name: "original_severity",
    copy: "text",
    sql: "text",
    value: (r) => (r.content.kind === "syslog" ? syslogOriginal(r.content) : r.content.originalSeverity),
    put: (r, severity: string) => {
      r.originalSeverity = severity;
    },
  },
  {
    name: "bytes",
    copy: "int8",
    sql: "bigint",
    value: (r) => r.content.bytes,
    put: (r, bytes: string | Count) => {
      r.bytes = countOf(bytes);
    },
  },
  {
    name: "packets",
    copy: "int8",
    sql: "bigint",
    value: (r) => r.content.packets,
    put: (r, packets: string | Count) => {
      r.packets = countOf(packets);
    },
  },
  {
    name: "src",
    copy: "inet",
    sql: "inet",
    value: (r) => r.content.src,
    put: (r, address: string) => {
      r.src = canonical(address);
    },
  },
  {
    name: "dst",
    copy: "inet",
    sql: "inet",
    value: (r) => r.content.dst,
    put: (r, address: string) => {
      r.dst = canonical(address);
    },
  },
  {
    name: "other_addresses",
    copy: "inet[]",
    sql: "inet[]",
    value: (r) => emptyToNull(r.content.otherAddresses),
    put: (r, addresses: readonly string[]) => {
      r.otherAddresses = addresses.map((a) => canonical(a));
    },
  },
  {
    name: "users",
    copy: "text[]",
    sql: "text[]",
    value: (r) => emptyToNull(r.content.users),
    put: (r, users: readonly string[]) => {
      r.users = users;
    },
  },
  {
    name: "data",
    copy: "jsonb",
    sql: "jsonb",
    value: (r) => dataOrNull(r.content.data),
    put: (r, data: HalvikRecord["data"]) => {
      r.data = data;
    },
  },
  {
    name: "translated",
    copy: "jsonb",
    sql: "jsonb",
    value: (r) => r.content.translated,
    put: (r, translated: HalvikRecord["translated"]) => {
      r.translated = translated;
    },
  },
  {
    name: "problem",
    copy: "jsonb",
    sql: "jsonb",
    value: (r) => r.content.problem,
    put: (r, problem: HalvikRecord["problem"]) => {
      r.problem = problem;
    },
  },
  {
    name: "message",
    copy: "text",
    sql: "text not null",
    value: (r) => r.content.text,
    put: (r, text: string) => {
      r.text = text;
    },
  },
  {
    name: "head",
    copy: "text",
    sql: "text not null",
    value: (r) => r.content.head,
    put: (r, head: string) => {
      r.head = head;
    },
  },
  {
    name: "tail",
    copy: "text",
    sql: "text not null",
    value: (r) => r.content.tail,
    put: (r, tail: string) => {
      r.tail = tail;
    },
  },
  {
    name: "shape",
    copy: "int4",
    sql: "integer",
    value: (r) => r.shape?.id || null,
    put: (r, shape: number) => {
      r.shape = shape;
    },
  },
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
export const SEEN_COLUMNS = RECORD_COLUMNS.filter(({ name }) => !UNSEEN.has(name));
export const RULE_COLUMNS = RECORD_COLUMNS.map(({ name }) =>
  UNSEEN.has(name) ? `null as ${name}` : selected(name),
).join(", ");

/** A row by the names of its columns, as the driver gives it, or some of them; COPY gives counts as such. */
export type NamedRow = Readonly<Record<string, unknown>>;

/** A stored record that says nothing yet. */
export function blankRecord(kind: RecordKind): RecordDraft {
  const record = emptyContent(kind, 0, 0) as RecordDraft;
  record.timeReason = TIME_REASONS[0];
  record.endpoint = "";
  record.copyOf = null;
  record.shape = null;
  return record;
}

/** A record of which all columns that say something have been put in. */
export function wholeRecord(record: RecordDraft): HalvikRecord {
  if (record.kind === "syslog")
    record.originalSeverity =
      record.originalSeverity === "none" ? null : (record.originalSeverity ?? severityName(record.severity));
  return record;
}

export function toRecord(row: NamedRow): HalvikRecord {
  const record = blankRecord("syslog");
  putIn(record, RECORD_COLUMNS, row);
  return wholeRecord(record);
}

/** Puts into a draft what a row says. */
export function putIn<D>(record: D, columns: readonly Column<D>[], row: NamedRow): void {
  for (const { name, put } of columns) {
    const value = row[name];
    if (value !== null && value !== undefined) put(record, value as never);
  }
}

/** A count as the driver gives it, or COPY. */
export const countOf = (count: string | Count): Count | null => (typeof count === "string" ? readCount(count) : count);

/** PostgreSQL writes `::1.2.3.4` where RFC 5952 has `::102:304`; the rest is alike. */
export function canonical<T extends string | null>(address: T): T {
  return address?.includes(":") && address.includes(".") ? (canonicalAddress(address) as T) : address;
}
