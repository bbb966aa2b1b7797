import { canonicalAddress } from "../../base/net/index.js";
import { formatDuration } from "../../base/time/index.js";
import { formatMibValue, type MibNames } from "../../decode/mib/index.js";
import { type Applications, protocolName } from "../../model/applications/index.js";
import { commonNameOf } from "../../model/entity/index.js";
import { dataValues, type HalvikRecord } from "../../model/record/index.js";
import { findDaemonLine } from "../daemons/index.js";
import { FAILURE_CODES, fillSentence, KERBEROS_CODES, LOGON_TYPES, type Meanings } from "../index.js";
import { packetSentence } from "./packet-sentence.js";
import { bytesText, countText, endText } from "./quantities.js";

/** What a sentence needs to know besides the record: names in force now, so that they apply to history too. */
export interface SentenceContext {
  readonly senderName: string;
  readonly meanings: Meanings;
  readonly mib: MibNames;
  readonly applications: Applications;
  /** The name of an exporter's interface by its index, or null. */
  readonly interfaceName: (index: number) => string | null;
}

/** One sentence that says what happened, made from typed values on reading (`docs/semantics.md` 28). Never empty. */
export function sentenceOf(r: HalvikRecord, c: SentenceContext): string {
  switch (r.kind) {
    case "windows":
      return windowsSentence(r, c);
    case "snmp":
      return snmpSentence(r, c);
    case "firewall":
      return firewallSentence(r, c);
    case "flow":
      return flowSentence(r, c);
    case "syslog":
      return syslogSentence(r, c) ?? textOr(r, `An empty message came from ${c.senderName}`);
    case "packet":
      return packetSentence(r) ?? textOr(r, `${c.senderName} saw packets that tell nothing`);
    case "json":
    case "halvik":
      return textOr(r, `${c.senderName} sent a record without text`);
  }
}

function textOr(r: HalvikRecord, otherwise: string): string {
  if (r.text !== "") return r.text;
  return r.problem ? `Something from this sender could not be read: ${r.problem.message}` : otherwise;
}

/** The record's own values by the names sentences use; missing and "-" are none. */
function ownValue(r: HalvikRecord, c: SentenceContext, name: string): string | null {
  switch (name) {
    case "sender":
      return c.senderName;
    case "computer":
      // with a domain behind it, it is still who sent it: one name in whatever is read together
      return r.host === null || r.host.toLowerCase().startsWith(`${c.senderName.toLowerCase()}.`)
        ? c.senderName
        : r.host;
    case "provider":
      return r.app;
    case "interface":
      return r.interface;
    case "logonType":
      return LOGON_TYPES[dataValues(r, "LogonType")[0] ?? ""] ?? null;
    case "failure": {
      const codes = [...dataValues(r, "SubStatus"), ...dataValues(r, "Status")].map((code) => code.toLowerCase());
      for (const code of codes) if (FAILURE_CODES[code] !== undefined) return FAILURE_CODES[code]!;
      return null;
    }
    case "kerberos":
      return KERBEROS_CODES[(dataValues(r, "Status")[0] ?? "").toLowerCase()] ?? null;
    case "MemberName":
      return memberOf(r);
    default: {
      const value = dataValues(r, name)[0]?.trim();
      if (value === undefined || value === "" || value === "-") return null;
      return value.length > 200 ? `${value.slice(0, 200)}…` : (canonicalAddress(value) ?? value);
    }
  }
}

/** Who joined or left a group: by the name of the account where it is known, else by what its distinguished name begins with. */
function memberOf(r: HalvikRecord): string | null {
  const [subject, target, written = ""] = ["SubjectUserName", "TargetUserName", "MemberName"].map((name) =>
    dataValues(r, name)[0]?.trim(),
  );
  const user = r.users.find((u) => u !== subject && u !== target);
  return user ?? (written === "" || written === "-" ? null : (commonNameOf(written) ?? written).slice(0, 200));
}

function windowsSentence(r: HalvikRecord, c: SentenceContext): string {
  const meaning = r.app === null || r.event === null ? undefined : c.meanings.windows(r.app, Number(r.event));
  if (meaning?.sentence) return fillSentence(meaning.sentence, (name) => ownValue(r, c, name));
  if (r.event === null) return textOr(r, "An event without an id");
  return r.text === "" ? `Event ${r.event} of ${r.app ?? "an unknown provider"} on ${r.host ?? c.senderName}` : r.text;
}

function snmpSentence(r: HalvikRecord, c: SentenceContext): string {
  if (r.event === null) return textOr(r, `${c.senderName} sent a notification that could not be read`);
  const meaning = c.meanings.snmp(r.event);
  const values = new Map<string, string>();
  for (const [oid, value] of r.data) {
    const found = /^\d/.test(oid) ? c.mib.find(oid) : null;
    if (found && found.node.kind === "object") values.set(found.node.name, formatMibValue(value, found.node, c.mib));
  }
  if (meaning?.sentence) return fillSentence(meaning.sentence, (name) => values.get(name) ?? ownValue(r, c, name));
  const node = c.mib.notification(r.event);
  const what = [...values]
    .slice(0, 4)
    .map(([name, value]) => `${name} ${value}`)
    .join(", ");
  const name = node ? node.name : `the unnamed notification ${r.event}`;
  return `${c.senderName} sent ${name}${what === "" ? "" : `: ${what}`}`;
}

const VERDICTS = { accept: "let through", deny: "dropped", reject: "refused" } as const;

function firewallSentence(r: HalvikRecord, c: SentenceContext): string {
  if (r.src === null && r.dst === null) return textOr(r, `${c.senderName} logged a decision without addresses`);
  const protocol = protocolName(r.protocol);
  const service = c.applications.application(r);
  const what = [protocol, service === null ? null : `(${service})`].filter((p) => p !== null).join(" ") || "traffic";
  const policy = dataValues(r, "policy")[0];
  const nat = r.translated?.src ?? r.translated?.dst ?? null;
  return [
    `${c.senderName} ${r.action === null ? "saw" : VERDICTS[r.action]} ${what} from ${endText(r.src, r.srcPort)} to ${endText(r.dst, r.dstPort)}`,
    nat === null ? "" : ` as ${nat}`,
    policy === undefined ? "" : `, by ${policy}`,
    r.bytes === null || r.bytes < 1_000 ? "" : `, ${bytesText(r.bytes)}`,
  ].join("");
}

function flowSentence(r: HalvikRecord, c: SentenceContext): string {
  const protocol = protocolName(r.protocol);
  const service = c.applications.application(r);
  const amount = [
    r.bytes === null ? null : bytesText(r.bytes),
    r.packets === null ? null : countText(r.packets, "packet", "packets"),
  ]
    .filter((p) => p !== null)
    .join(" in ");
  const startUs = r.flow?.startUs ?? null;
  const lasted =
    startUs === null || r.timeUs - startUs < 1_000_000 ? "" : ` over ${formatDuration(r.timeUs - startUs)}`;
  const kind = [protocol, service === null ? null : `(${service})`].filter((p) => p !== null).join(" ");
  const estimated = r.marks.includes("estimated") ? `, estimated from 1 in ${r.flow?.samplingRate ?? "several"}` : "";
  const verb = r.action === "deny" ? "was refused sending" : "sent";
  return `${endText(r.src, r.srcPort)} ${verb} ${amount || "something"} to ${endText(r.dst, r.dstPort)}${kind === "" ? "" : ` by ${kind}`}${lasted}${estimated}`;
}

/** What the meaning table found, said in one way for every daemon; null: the message says it best itself. */
function syslogSentence(r: HalvikRecord, c: SentenceContext): string | null {
  const known = findDaemonLine(r.app, r.text);
  if (known !== null && known.line.says !== "")
    return fillSentence(known.line.says, (name) =>
      name === "sender" ? c.senderName : (known.values.find((v) => v.name === name)?.text.slice(0, 200) ?? null),
    );
  const user = r.users[0];
  if (r.category === "logon" && user !== undefined && r.outcome !== "unknown") {
    const from = r.src === null ? "" : ` from ${r.src}`;
    return r.outcome === "success"
      ? `${user} logged on to ${c.senderName}${from}`
      : `${user} was refused a logon to ${c.senderName}${from}`;
  }
  if (r.category === "link" && r.interface !== null && r.outcome !== "unknown")
    return `interface ${r.interface} of ${c.senderName} ${r.outcome === "failure" ? "went down" : "came up"}`;
  return null;
}
