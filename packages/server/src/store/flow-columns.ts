import type { Count, FlowFacts, HalvikRecord, Severity } from "@halvik/core/model/record";
import type { CopyType } from "./copy-binary.js";
import {
  blankRecord,
  type Column,
  canonical,
  countOf,
  type NamedRow,
  putIn,
  RECORD_COLUMNS,
  type RecordDraft,
  type StoredContent,
} from "./record-columns.js";

/** The severity of every flow (`docs/semantics.md` 14). */
export const FLOW_SEVERITY: Severity = 6;

type FlowDraft = Omit<RecordDraft, "flow"> & { flow: { -readonly [K in keyof FlowFacts]: FlowFacts[K] } };

const facts =
  (get: (f: FlowFacts) => unknown) =>
  ({ content }: StoredContent): unknown =>
    content.flow === null ? null : get(content.flow);

/** A column that is as in the table of records. */
const asInRecords = (name: string) => RECORD_COLUMNS.find((c) => c.name === name)! as Column<unknown>;

/** The columns of a flow segment, in table order: lean, since flows are many. */
export const FLOW_COLUMNS: readonly Column<FlowDraft>[] = [
  asInRecords("id"),
  asInRecords("time"),
  asInRecords("received"),
  {
    name: "start",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.startUs),
    put: ({ flow }, value: number) => {
      flow.startUs = value;
    },
  },
  asInRecords("bytes"),
  asInRecords("packets"),
  {
    name: "ingress",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.ingress),
    put: ({ flow }, value: number) => {
      flow.ingress = value;
    },
  },
  {
    name: "egress",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.egress),
    put: ({ flow }, value: number) => {
      flow.egress = value;
    },
  },
  {
    name: "src_as",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.srcAs),
    put: ({ flow }, value: number) => {
      flow.srcAs = value;
    },
  },
  {
    name: "dst_as",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.dstAs),
    put: ({ flow }, value: number) => {
      flow.dstAs = value;
    },
  },
  {
    name: "domain",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.domain),
    put: ({ flow }, value: number) => {
      flow.domain = value;
    },
  },
  {
    name: "sequence",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.sequence),
    put: ({ flow }, value: number) => {
      flow.sequence = value;
    },
  },
  {
    name: "reverse_bytes",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.reverseBytes),
    put: ({ flow }, count: string | Count) => {
      flow.reverseBytes = countOf(count);
    },
  },
  {
    name: "reverse_packets",
    copy: "int8",
    sql: "bigint",
    value: facts((f) => f.reversePackets),
    put: ({ flow }, count: string | Count) => {
      flow.reversePackets = countOf(count);
    },
  },
  asInRecords("sender"),
  asInRecords("src_port"),
  asInRecords("dst_port"),
  {
    name: "sampling",
    copy: "int4",
    sql: "integer",
    value: facts((f) => (f.samplingRate === 1 ? null : f.samplingRate)),
    put: ({ flow }, rate: number) => {
      flow.samplingRate = rate;
    },
  },
  {
    name: "tcp_flags",
    copy: "int4",
    sql: "integer",
    value: facts((f) => f.tcpFlags),
    put: ({ flow }, value: number) => {
      flow.tcpFlags = value;
    },
  },
  {
    name: "icmp",
    copy: "int4",
    sql: "integer",
    value: facts((f) => f.icmp),
    put: ({ flow }, value: number) => {
      flow.icmp = value;
    },
  },
  {
    name: "vlan",
    copy: "int4",
    sql: "integer",
    value: facts((f) => f.vlan),
    put: ({ flow }, value: number) => {
      flow.vlan = value;
    },
  },
  { ...asInRecords("clock_offset_ms"), sql: "integer", value: (r) => r.content.clockOffsetMs || null },
  asInRecords("marks"),
  asInRecords("protocol"),
  {
    name: "tos",
    copy: "int2",
    sql: "smallint",
    value: facts((f) => f.tos),
    put: ({ flow }, value: number) => {
      flow.tos = value;
    },
  },
  {
    name: "src_mask",
    copy: "int2",
    sql: "smallint",
    value: facts((f) => f.srcMask),
    put: ({ flow }, value: number) => {
      flow.srcMask = value;
    },
  },
  {
    name: "dst_mask",
    copy: "int2",
    sql: "smallint",
    value: facts((f) => f.dstMask),
    put: ({ flow }, value: number) => {
      flow.dstMask = value;
    },
  },
  {
    name: "direction",
    copy: "int2",
    sql: "smallint",
    value: facts((f) => f.direction),
    put: ({ flow }, value: number) => {
      flow.direction = value;
    },
  },
  asInRecords("outcome"),
  asInRecords("action"),
  asInRecords("time_reason"),
  asInRecords("src"),
  asInRecords("dst"),
  {
    name: "next_hop",
    copy: "inet",
    sql: "inet",
    value: facts((f) => f.nextHop),
    put: ({ flow }, value: string) => {
      flow.nextHop = canonical(value);
    },
  },
  asInRecords("endpoint"),
  {
    name: "application",
    copy: "text",
    sql: "text",
    value: facts((f) => f.application),
    put: ({ flow }, value: string) => {
      flow.application = value;
    },
  },
  asInRecords("translated"),
  asInRecords("data"),
  asInRecords("problem"),
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
export const SEEN_FLOW_COLUMNS = FLOW_COLUMNS.filter(({ name }) => !UNSEEN.has(name));
export const FLOW_RULE_COLUMNS = FLOW_COLUMNS.map((c) => (UNSEEN.has(c.name) ? `null as ${c.name}` : selected(c))).join(
  ", ",
);

/** A flow that says nothing yet. */
export function blankFlow(): FlowDraft {
  const record = blankRecord("flow");
  record.severity = FLOW_SEVERITY;
  record.category = "traffic";
  record.flow = {
    startUs: null,
    ingress: null,
    egress: null,
    tos: null,
    tcpFlags: null,
    icmp: null,
    srcAs: null,
    dstAs: null,
    srcMask: null,
    dstMask: null,
    nextHop: null,
    vlan: null,
    direction: null,
    application: null,
    reverseBytes: null,
    reversePackets: null,
    samplingRate: 1,
    domain: 0,
    sequence: 0,
  };
  return record as FlowDraft;
}

export function toFlowRecord(row: NamedRow): HalvikRecord {
  const record = blankFlow();
  putIn(record, FLOW_COLUMNS, row);
  return record;
}
