import { formatUs, writtenTime } from "../base/time/index.js";
import type { FirewallDecision } from "../decode/firewall/index.js";
import type { Meanings } from "../meaning/index.js";
import {
  type ContentDraft,
  emptyContent,
  type RecordContent,
  type Severity,
  type Translation,
} from "../model/record/index.js";
import { chooseTime } from "./choose-time.js";

/** Puts into a record what was decided, in whatever it came. */
export function putDecision(c: ContentDraft, f: FirewallDecision): void {
  const data: (readonly [string, string])[] = [];
  // the record's moment is its end
  if (f.endUs !== null && f.startUs !== null) data.push(["start", formatUs(f.startUs)]);
  if (f.policy !== null) data.push(["policy", f.policy]);
  if (f.inInterface !== null) data.push(["in interface", f.inInterface]);
  if (f.outInterface !== null) data.push(["out interface", f.outInterface]);
  if (f.srcZone !== null) data.push(["src zone", f.srcZone]);
  if (f.dstZone !== null) data.push(["dst zone", f.dstZone]);
  for (const pair of f.data) data.push(pair);
  c.category = "policy";
  c.outcome = f.action === null ? "unknown" : f.action === "accept" ? "success" : "failure";
  c.action = f.action;
  c.src = f.src;
  c.dst = f.dst;
  c.srcPort = f.srcPort;
  c.dstPort = f.dstPort;
  c.protocol = f.protocol;
  c.interface = f.inInterface ?? f.outInterface;
  c.bytes = f.bytes;
  c.packets = f.packets;
  c.users = f.user === null ? [] : [f.user];
  c.translated = translation(f);
  c.data = data;
  c.otherAddresses = [];
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
  const content = emptyContent("firewall", time.timeUs, context.receivedUs);
  putDecision(content, f);
  content.timeReason = time.reason;
  content.deviceTime = f.at;
  content.severity = decisionSeverity(f, context.meanings);
  content.text = line;
  return content;
}

export const decisionSeverity = (f: FirewallDecision, meanings: Meanings): Severity =>
  f.action === null ? 6 : meanings.severity("firewall", f.action, 6);
