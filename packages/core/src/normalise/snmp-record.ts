import { DecodeError, decodeUtf8 } from "../base/bytes/index.js";
import { cutText } from "../base/text/index.js";
import {
  readNotification,
  type SnmpNotification,
  type SnmpValue,
  type UsmUsers,
  type VarBind,
} from "../decode/snmp/index.js";
import type { Meanings } from "../meaning/index.js";
import { emptyContent, type RecordContent } from "../model/record/index.js";
import { unreadable } from "./unreadable.js";

/** Columns of the interface tables whose value or index names an interface (RFC 2863). */
const IF_NAMES = ["1.3.6.1.2.1.31.1.1.1.1.", "1.3.6.1.2.1.2.2.1.2."] as const;
const IF_INDEX = "1.3.6.1.2.1.2.2.1.1.";
const STANDARD_VARBINDS = [
  "1.3.6.1.2.1.1.3.0",
  "1.3.6.1.6.3.1.1.4.1.0",
  "1.3.6.1.6.3.18.1.3.0",
  "1.3.6.1.6.3.18.1.4.0",
];
const MAX_TEXT = 8_000;

export interface SnmpContext {
  readonly receivedUs: number;
  readonly users: UsmUsers;
  readonly meanings: Meanings;
}

/** A notification's datagram to a record's content. What cannot be read is kept with the reason. */
export function snmpRecord(bytes: Uint8Array, context: SnmpContext): RecordContent {
  try {
    return notificationRecord(readNotification(bytes, context.users), bytes, context);
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    return unreadable("snmp", bytes, context.receivedUs, { code: e.code, offset: e.offset, message: e.message });
  }
}

function notificationRecord(n: SnmpNotification, bytes: Uint8Array, context: SnmpContext): RecordContent {
  const { pdu } = n;
  const meaning = context.meanings.snmp(pdu.trapOid);
  const named = pdu.varbinds.filter((v) => !STANDARD_VARBINDS.includes(v.oid));
  const data: [string, string][] = named.map((v) => [v.oid, valueText(v.value)]);
  let text = "";
  for (const [oid, value] of data) text += text === "" ? `${oid}=${value}` : ` ${oid}=${value}`;
  if (pdu.enterprise !== null) data.push(["enterprise", pdu.enterprise]);
  if (pdu.generic !== null) data.push(["generic", String(pdu.generic)]);
  if (pdu.specific !== null) data.push(["specific", String(pdu.specific)]);
  if (pdu.uptimeTicks !== null) data.push(["uptime ticks", String(pdu.uptimeTicks)]);
  data.push(["version", n.version]);
  if (pdu.inform) data.push(["inform", "yes"]);
  if (n.version === "v3") data.push(["security name", n.user]);
  if (n.engineId !== null) data.push(["engine id", n.engineId]);
  if (n.contextEngineId !== null && n.contextEngineId !== n.engineId)
    data.push(["context engine id", n.contextEngineId]);
  if (n.contextName !== null) data.push(["context", n.contextName]);
  const addresses = named.flatMap((v) => (v.value.type === "ip address" ? [v.value.value] : []));
  return Object.assign(emptyContent("snmp", context.receivedUs, context.receivedUs), {
    severity: meaning?.severity ?? context.meanings.severity("snmp", "notification", 5),
    category: meaning?.category ?? "other",
    outcome: meaning?.outcome ?? "unknown",
    host: pdu.agentAddress,
    event: pdu.trapOid,
    interface: interfaceOf(named),
    otherAddresses: [...new Set(addresses)],
    text: cutText(text, MAX_TEXT),
    data,
    raw: bytes,
  });
}

/** The interface's name where a binding gives it, else its index. */
function interfaceOf(varbinds: readonly VarBind[]): string | null {
  for (const column of IF_NAMES)
    for (const { oid, value } of varbinds)
      if (oid.startsWith(column) && value.type === "octet string") return valueText(value);
  for (const { oid, value } of varbinds)
    if (oid.startsWith(IF_INDEX) && value.type === "integer") return String(value.value);
  return null;
}

/** A value as text without loss: octets that are no printable text as hex with `0x` before. */
export function valueText(value: SnmpValue): string {
  switch (value.type) {
    case "octet string": {
      const { text, exact } = decodeUtf8(value.value);
      return exact && isPrintable(text) ? text : hexText(value.value);
    }
    case "opaque":
      return hexText(value.value);
    case "float":
      return String(value.value);
    case "null":
    case "no such object":
    case "no such instance":
    case "end of mib view":
      return value.type;
    case "object identifier":
    case "ip address":
      return value.value;
    default:
      return value.value.toString();
  }
}

function isPrintable(text: string): boolean {
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (c < 32 ? c !== 9 && c !== 10 && c !== 13 : c === 127) return false;
  }
  return true;
}

function hexText(bytes: Uint8Array): string {
  let out = "0x";
  for (const b of bytes) out += b.toString(16).padStart(2, "0");
  return out;
}
