import type { JsonBytes } from "../../base/bytes/index.js";
import { formatUs } from "../../base/time/index.js";
import { countToJson } from "./count.js";
import { FACILITIES } from "./names.js";
import type { FlowFacts, HalvikRecord, RecordContent } from "./record.js";
import { severityName } from "./severity.js";

/** A record as the API and `decode` print it. Times are RFC 3339 in UTC, ids strings, missing values absent. */
export type RecordJson = { readonly [name: string]: unknown };

type Named = readonly [name: string, of: (r: RecordContent) => unknown];

/** The API's field names in their order, and what stands there; empty values are left out. */
const FIELDS: readonly Named[] = [
  ["kind", (r) => r.kind],
  ["time", (r) => formatUs(r.timeUs)],
  ["arrival", (r) => formatUs(r.receivedUs)],
  ["timeReason", (r) => r.timeReason],
  ["deviceTime", (r) => r.deviceTime],
  ["clockOffsetMs", (r) => (r.clockOffsetMs === 0 ? null : r.clockOffsetMs)],
  ["severity", (r) => severityName(r.severity)],
  ["originalSeverity", (r) => r.originalSeverity],
  ["facility", (r) => (r.facility === null ? null : (FACILITIES[r.facility] ?? null))],
  ["category", (r) => r.category],
  ["outcome", (r) => r.outcome],
  ["action", (r) => r.action],
  ["host", (r) => r.host],
  ["app", (r) => r.app],
  ["process", (r) => r.process],
  ["event", (r) => r.event],
  ["users", (r) => r.users],
  ["src", (r) => r.src],
  ["dst", (r) => r.dst],
  ["srcPort", (r) => r.srcPort],
  ["dstPort", (r) => r.dstPort],
  ["protocol", (r) => r.protocol],
  ["interface", (r) => r.interface],
  ["bytes", (r) => countToJson(r.bytes)],
  ["packets", (r) => countToJson(r.packets)],
  ["otherAddresses", (r) => r.otherAddresses],
  ["translated", (r) => r.translated && dropEmpty({ ...r.translated })],
  ["flow", (r) => r.flow && flowToJson(r.flow)],
  ["text", (r) => r.text],
  ["data", (r) => r.data],
  ["marks", (r) => r.marks],
  ["problem", (r) => r.problem],
];

/** Content in the API's field names, in a stable order; empty values are left out. */
export function contentToJson(r: RecordContent): RecordJson {
  const kept: Record<string, unknown> = {};
  for (const [name, of] of FIELDS) {
    const value = of(r);
    if (!isEmpty(value)) kept[name] = value;
  }
  return kept;
}

const MEMBERS = FIELDS.map(([name]) => `,"${name}":`);

/** Writes the members of `contentToJson` into an object that was begun, each behind a comma. */
export function writeContent(r: RecordContent, json: JsonBytes): void {
  for (let i = 0; i < FIELDS.length; i++) {
    const value = FIELDS[i]![1](r);
    if (isEmpty(value)) continue;
    json.ascii(MEMBERS[i]!);
    json.value(value);
  }
}

export function recordToJson(r: HalvikRecord, senderName: string): RecordJson {
  return {
    id: r.id,
    sender: { id: r.sender, name: senderName },
    endpoint: r.endpoint,
    ...(r.copyOf === null ? {} : { copyOf: r.copyOf }),
    ...(r.shape === null ? {} : { shape: r.shape }),
    ...contentToJson(r),
  };
}

const flowToJson = ({ startUs, tos, samplingRate, reverseBytes, reversePackets, ...f }: FlowFacts): RecordJson =>
  dropEmpty({
    start: startUs === null ? null : formatUs(startUs),
    ...f,
    reverseBytes: countToJson(reverseBytes),
    reversePackets: countToJson(reversePackets),
    tos,
    dscp: tos === null ? null : tos >> 2,
    samplingRate: samplingRate > 1 ? samplingRate : null,
  });

const isEmpty = (value: unknown): boolean => value === null || (Array.isArray(value) && value.length === 0);

function dropEmpty(object: Readonly<Record<string, unknown>>): RecordJson {
  const kept: Record<string, unknown> = {};
  for (const name in object) if (!isEmpty(object[name])) kept[name] = object[name];
  return kept;
}
