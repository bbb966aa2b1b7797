import type { FlowRecord } from "../decode/flow/index.js";
import { emptyContent, type Mark, type RecordContent } from "../model/record/index.js";
import { chooseTime } from "./choose-time.js";

/** RFC-registered values of firewallEvent (IANA IPFIX registry, element 233). */
const FLOW_DENIED = 3;

/** A flow to a record's content. Its moment is its end: then the exporter could first tell of it. */
export function flowRecord(
  f: FlowRecord,
  context: {
    readonly receivedUs: number;
    readonly clockOffsetUs: number;
    readonly domain: number;
    readonly sequence: number;
    readonly maxBehindUs?: number | undefined;
  },
): RecordContent {
  const time = chooseTime(f.endUs ?? f.startUs, false, context.receivedUs, context.clockOffsetUs, context.maxBehindUs);
  const denied = f.firewallEvent === FLOW_DENIED;
  const shiftUs = f.endUs === null ? 0 : time.timeUs - f.endUs;
  const marks: Mark[] = [];
  if (time.reason === "corrected") marks.push("clock corrected");
  if (f.samplingRate > 1) marks.push("estimated");
  const c = emptyContent("flow", time.timeUs, context.receivedUs);
  c.timeReason = time.reason;
  c.clockOffsetMs = time.clockOffsetMs;
  c.category = "traffic";
  if (denied) {
    c.outcome = "failure";
    c.action = "deny";
  }
  c.src = f.src;
  c.dst = f.dst;
  c.srcPort = f.srcPort;
  c.dstPort = f.dstPort;
  c.protocol = f.protocol;
  c.bytes = f.bytes;
  c.packets = f.packets;
  if (f.natSrc !== null || f.natDst !== null)
    c.translated = { src: f.natSrc, dst: f.natDst, srcPort: f.natSrcPort, dstPort: f.natDstPort };
  c.flow = {
    startUs: f.startUs === null ? null : f.startUs + shiftUs,
    ingress: f.ingress,
    egress: f.egress,
    tos: f.tos,
    tcpFlags: f.tcpFlags,
    icmp: f.icmp,
    srcAs: f.srcAs,
    dstAs: f.dstAs,
    srcMask: f.srcMask,
    dstMask: f.dstMask,
    nextHop: f.nextHop,
    vlan: f.vlan,
    direction: f.direction,
    application: f.application,
    reverseBytes: f.reverseBytes,
    reversePackets: f.reversePackets,
    samplingRate: f.samplingRate,
    domain: context.domain,
    sequence: context.sequence,
  };
  c.data = f.extra;
  if (marks.length > 0) c.marks = marks;
  return c;
}
