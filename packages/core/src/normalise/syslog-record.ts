import { canonicalAddress } from "../base/net/index.js";
import { findDecision, portOf, readStructured } from "../decode/firewall/index.js";
import { decodeSyslog, type SyslogContext, type SyslogMessage } from "../decode/syslog/index.js";
import { accountOfCommand, type FoundLine, findDaemonLine } from "../meaning/daemons/index.js";
import { Meanings } from "../meaning/index.js";
import {
  type ContentDraft,
  emptyContent,
  type Mark,
  type RecordContent,
  type Severity,
  severityName,
} from "../model/record/index.js";
import { chooseTime } from "./choose-time.js";
import { decisionSeverity, putDecision } from "./firewall-record.js";
import { findMeaning } from "./meaning.js";

/** RFC 3164 section 4.3.3: a message without a valid PRI is taken as user.notice. */
const DEFAULT_SEVERITY: Severity = 5;

/** Sender facts a message needs to become a record. */
export interface NormaliseContext extends SyslogContext {
  /** arrival − device time of this sender where it is applied, else 0 (`docs/semantics.md` 3). */
  readonly clockOffsetUs: number;
  readonly meanings?: Meanings;
}

const SHIPPED = new Meanings();
/** A verdict and two more. */
const LEAST_PAIRS = 3;

/** One syslog datagram or frame to a record's content. Never fails: see `problem`. */
export function syslogRecord(
  bytes: Uint8Array,
  context: NormaliseContext,
): { content: RecordContent; message: SyslogMessage } {
  const { message, raw } = decodeSyslog(bytes, context);
  return { content: normaliseSyslog(message, raw, context), message };
}

function normaliseSyslog(m: SyslogMessage, raw: Uint8Array | null, context: NormaliseContext): RecordContent {
  const time = chooseTime(m.deviceUs, m.coarse, context.receivedUs, context.clockOffsetUs, context.maxBehindUs);
  const meanings = context.meanings ?? SHIPPED;
  const decision = findDecision(m.text) ?? (m.data.length < LEAST_PAIRS ? null : readStructured(m.data));
  const meaning = decision === null ? findMeaning(m.app, m.text, meanings.phrases) : NO_MEANING;
  const line = decision === null ? findDaemonLine(m.app, m.text) : null;
  const severity = meaning.severity ?? ((m.severity ?? DEFAULT_SEVERITY) as Severity);
  const marks: Mark[] = [];
  if (m.problem !== null) marks.push("problem");
  if (time.reason === "corrected") marks.push("clock corrected");
  const content = emptyContent("syslog", time.timeUs, context.receivedUs);
  content.timeReason = time.reason;
  content.deviceTime = m.deviceTime;
  content.clockOffsetMs = time.clockOffsetMs;
  content.severity = severity;
  content.originalSeverity = m.severity === null ? null : severityName(m.severity);
  content.facility = m.facility;
  // what people say such messages mean stands above what the line itself does
  const says = meaning.category === "other" && line !== null ? line.line : meaning;
  content.category = says.category;
  content.outcome = says.outcome;
  content.host = m.host;
  content.app = m.app;
  content.process = m.process;
  content.event = m.messageId;
  content.users = meaning.users;
  content.src = meaning.src;
  content.srcPort = meaning.srcPort;
  content.interface = meaning.interface;
  content.otherAddresses = withHostAddress(m.host, meaning.src, meaning.otherAddresses);
  content.text = m.text;
  content.data = m.data;
  content.head = m.head;
  content.tail = m.tail;
  content.raw = raw;
  content.marks = marks;
  content.problem = m.problem;
  if (line !== null) putLine(content, line);
  if (decision === null) return content;
  const problem = m.problem ?? decision.problem;
  putDecision(content, decision);
  content.kind = "firewall";
  // daemons log every packet with one severity: the verdict says more, unless the daemon says worse
  content.severity = Math.min(severity, decisionSeverity(decision, meanings)) as Severity;
  if (m.data.length > 0) content.data = [...m.data, ...content.data];
  content.otherAddresses = withHostAddress(m.host, content.src, []);
  content.problem = problem;
  if (problem !== null && m.problem === null) content.marks = [...marks, "problem"];
  return content;
}

/** Puts into a record what the line of a well-known program says: it knows exactly where each value stands. */
function putLine(c: ContentDraft, { line, values }: FoundLine): void {
  const data = [...c.data];
  for (const { name, text } of values) {
    switch (name) {
      case "":
        break;
      case "user":
        // a web server writes so that nobody signed in
        c.users = text === "-" ? [] : [text];
        break;
      case "interface":
        c.interface = text;
        break;
      case "src":
        c.src = canonicalAddress(text);
        break;
      case "src port":
        c.srcPort = portOf(text);
        break;
      case "dst port":
        c.dstPort = portOf(text);
        break;
      default:
        data.push([name, text]);
    }
    // whom rights are used on is named like who uses them
    const account = name === "command" && line.outcome === "success" ? accountOfCommand(text) : null;
    if (account !== null && !c.users.includes(account)) c.users = [...c.users, account];
  }
  c.otherAddresses = c.otherAddresses.filter((a) => a !== c.src);
  c.data = data;
}

const NO_MEANING = findMeaning(null, "", SHIPPED.phrases);

/** A host given as an address is one of the record's addresses. */
function withHostAddress(host: string | null, src: string | null, others: readonly string[]): readonly string[] {
  if (host === null) return others;
  const c = host.charCodeAt(0);
  if (!((c >= 48 && c <= 57) || host.includes(":"))) return others;
  const address = canonicalAddress(host);
  return address === null || address === src || others.includes(address) ? others : [...others, address];
}
