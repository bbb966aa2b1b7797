import { formatUs } from "../../base/time/index.js";
import { countToJson } from "./count.js";
import { FACILITIES } from "./names.js";
import type { FlowFacts, HalvikRecord, RecordContent } from "./record.js";
import { severityName } from "./severity.js";

/** A record as the API and `decode` print it. Times are RFC 3339 in UTC, ids strings, missing values absent. */
export type RecordJson = { readonly [name: string]: unknown };

/** Content in the API's field names, in a stable order; empty values are left out. */
export function contentToJson(r: RecordContent): RecordJson {
  return dropEmpty({
    kind: r.kind,
    time: formatUs(r.timeUs),
    arrival: formatUs(r.receivedUs),
    timeReason: r.timeReason,
    deviceTime: r.deviceTime,
    clockOffsetMs: r.clockOffsetMs === 0 ? null : r.clockOffsetMs,
    severity: severityName(r.severity),
    originalSeverity: r.originalSeverity,
    facility: r.facility === null ? null : (FACILITIES[r.facility] ?? null),
    category: r.category,
    outcome: r.outcome,
    action: r.action,
    host: r.host,
    app: r.app,
    process: r.process,
    event: r.event,
    users: r.users,
    src: r.src,
    dst: r.dst,
    srcPort: r.srcPort,
    dstPort: r.dstPort,
    protocol: r.protocol,
    interface: r.interface,
    bytes: countToJson(r.bytes),
    packets: countToJson(r.packets),
    otherAddresses: r.otherAddresses,
    translated: r.translated && dropEmpty({ ...r.translated }),
    flow: r.flow && flowToJson(r.flow),
    text: r.text,
    data: r.data,
    marks: r.marks,
    problem: r.problem,
  });
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

function dropEmpty(object: Readonly<Record<string, unknown>>): RecordJson {
  const kept: Record<string, unknown> = {};
  for (const name in object) {
    const value = object[name];
    if (value !== null && !(Array.isArray(value) && value.length === 0)) kept[name] = value;
  }
  return kept;
}
