import { formatUs, writtenTime } from "../base/time/index.js";
import type { FirewallDecision } from "../decode/firewall/index.js";
import type { Meanings } from "../meaning/index.js";
import { emptyContent, type RecordContent, type Severity, type Translation } from "../model/record/index.js";
import { chooseTime } from "./choose-time.js";

/** The columns a decision fills, in whatever it came. */
export function decisionContent(
  f: FirewallDecision,
): Pick<
  RecordContent,
  | "category"
  | "outcome"
  | "action"
  | "src"
  | "dst"
  | "srcPort"
  | "dstPort"
  | "protocol"
  | "interface"
  | "bytes"
  | "packets"
  | "users"
  | "translated"
  | "data"
  | "otherAddresses"
> {
  const data: [string, string][] = [];
  const add = (name: string, value: string | null) => {
    if (value !== null) data.push([name, value]);
  };
  // the record's moment is its end
  if (f.endUs !== null && f.startUs !== null) add("start", formatUs(f.startUs));
  add("policy", f.policy);
  add("in interface", f.inInterface);
  add("out interface", f.outInterface);
  add("src zone", f.srcZone);
  add("dst zone", f.dstZone);
  return {
    category: "policy",
    outcome: f.action === null ? "unknown" : f.action === "accept" ? "success" : "failure",
    action: f.action,
    src: f.src,
    dst: f.dst,
    srcPort: f.srcPort,
    dstPort: f.dstPort,
    protocol: f.protocol,
    interface: f.inInterface ?? f.outInterface,
    bytes: f.bytes,
    packets: f.packets,
    users: f.user === null ? [] : [f.user],
    translated: translation(f),
    data: [...data, ...f.data],
    otherAddresses: [],
  };
}

function translation(f: FirewallDecision): Translation | null {
  if (f.natSrc === null && f.natDst === null && f.natSrcPort === null && f.natDstPort === null) return null;
  return { src: f.natSrc, dst: f.natDst, srcPort: f.natSrcPort, dstPort: f.natDstPort };
}

/** A decision of a file in columns: no syslog header around it. @param line the row as it stands in the file */
export function columnsRecord(
  f: FirewallDecision,
  line: string,
  context: {
    readonly receivedUs: number;
    /** IANA zone of times that name none. */
    readonly zone: string;
    readonly meanings: Meanings;
    readonly maxBehindUs?: number | undefined;
  },
): RecordContent {
  const deviceUs = f.endUs ?? f.startUs ?? (f.at === null ? null : writtenTime(f.at, context.zone));
  const time = chooseTime(deviceUs, false, context.receivedUs, 0, context.maxBehindUs);
  return Object.assign(emptyContent("firewall", time.timeUs, context.receivedUs), decisionContent(f), {
    timeReason: time.reason,
    deviceTime: f.at,
    severity: decisionSeverity(f, context.meanings),
    text: line,
  });
}

export const decisionSeverity = (f: FirewallDecision, meanings: Meanings): Severity =>
  f.action === null ? 6 : meanings.severity("firewall", f.action, 6);
