import { type ByteReader, DecodeError } from "../../base/bytes/index.js";
import { addressFromBytes } from "../../base/net/index.js";
import { expectTlv, readInteger32, readOid, readTlv, readUnsigned, TAG } from "./ber.js";
import { integer, oid, sequence, tlv } from "./ber-writer.js";
import { readValue, type VarBind, writeValue } from "./value.js";

/** PDU tags (RFC 3416 section 3; RFC 1157 section 4.1.6 for the v1 trap). */
export const PDU = {
  get: 0xa0,
  getNext: 0xa1,
  response: 0xa2,
  set: 0xa3,
  trapV1: 0xa4,
  getBulk: 0xa5,
  inform: 0xa6,
  trap: 0xa7,
  report: 0xa8,
} as const;

const PDU_NAMES: Readonly<Record<number, string>> = {
  [PDU.get]: "a get request",
  [PDU.getNext]: "a get-next request",
  [PDU.response]: "a response",
  [PDU.set]: "a set request",
  [PDU.getBulk]: "a get-bulk request",
  [PDU.report]: "a report",
};

const SYS_UPTIME = "1.3.6.1.2.1.1.3.0";
const SNMP_TRAP_OID = "1.3.6.1.6.3.1.1.4.1.0";
const SNMP_TRAP_ADDRESS = "1.3.6.1.6.3.18.1.3.0";
const STANDARD_TRAPS = "1.3.6.1.6.3.1.1.5";

/** A notification whatever its version. */
export interface SnmpPdu {
  readonly inform: boolean;
  /** Absent in v1. */
  readonly requestId: number | null;
  /** What happened: for v1 as RFC 3584 section 3.1 maps it. */
  readonly trapOid: string;
  readonly uptimeTicks: number | null;
  /** The original agent: v1 agent-addr or snmpTrapAddress (RFC 3584 section 3.1), unless it is 0.0.0.0. */
  readonly agentAddress: string | null;
  readonly enterprise: string | null;
  readonly generic: number | null;
  readonly specific: number | null;
  /** As sent, sysUpTime and snmpTrapOID included. */
  readonly varbinds: readonly VarBind[];
}

export function readPdu(r: ByteReader, v1: boolean): SnmpPdu {
  const at = r.offset;
  const { tag, body } = readTlv(r, "PDU");
  if (v1 && tag === PDU.trapV1) return readTrapV1(body);
  if (!v1 && (tag === PDU.trap || tag === PDU.inform)) return readTrapV2(body, tag === PDU.inform);
  throw new DecodeError(
    "NOT_NOTIFICATION",
    at,
    `PDU: expected a trap or inform, got ${PDU_NAMES[tag] ?? `tag 0x${tag.toString(16)}`}`,
  );
}

function readTrapV1(body: ByteReader): SnmpPdu {
  const enterprise = readOid(expectTlv(body, TAG.oid, "enterprise"), "enterprise");
  const agent = expectTlv(body, TAG.ipAddress, "agent-addr");
  const agentAddress = agent.left === 4 ? addressFromBytes(agent.slice(4, "agent-addr")) : null;
  const generic = readInteger32(body, "generic-trap");
  const specific = readInteger32(body, "specific-trap");
  const uptimeTicks = Number(readUnsigned(expectTlv(body, TAG.timeTicks, "time-stamp"), 32, "time-stamp"));
  return {
    inform: false,
    requestId: null,
    // RFC 3584 section 3.1 (2) and (3)
    trapOid: generic >= 0 && generic <= 5 ? `${STANDARD_TRAPS}.${generic + 1}` : `${enterprise}.0.${specific}`,
    uptimeTicks,
    agentAddress: agentAddress === "0.0.0.0" ? null : agentAddress,
    enterprise,
    generic,
    specific,
    varbinds: readVarBinds(body),
  };
}

function readTrapV2(body: ByteReader, inform: boolean): SnmpPdu {
  const at = body.offset;
  const requestId = readInteger32(body, "request-id");
  readInteger32(body, "error-status");
  readInteger32(body, "error-index");
  const varbinds = readVarBinds(body);
  const value = (name: string) => varbinds.find((v) => v.oid === name)?.value;
  const trap = value(SNMP_TRAP_OID);
  // RFC 3416 section 4.2.6: sysUpTime.0 and snmpTrapOID.0 come first
  if (trap?.type !== "object identifier")
    throw new DecodeError("BAD_VALUE", at, "notification: expected snmpTrapOID.0 among its bindings, found none");
  const uptime = value(SYS_UPTIME);
  const agent = value(SNMP_TRAP_ADDRESS);
  return {
    inform,
    requestId,
    trapOid: trap.value,
    uptimeTicks: uptime?.type === "timeticks" ? Number(uptime.value) : null,
    agentAddress: agent?.type === "ip address" && agent.value !== "0.0.0.0" ? agent.value : null,
    enterprise: null,
    generic: null,
    specific: null,
    varbinds,
  };
}

function readVarBinds(r: ByteReader): VarBind[] {
  const list = expectTlv(r, TAG.sequence, "variable bindings");
  const out: VarBind[] = [];
  while (list.left > 0) {
    const one = expectTlv(list, TAG.sequence, "variable binding");
    out.push({ oid: readOid(expectTlv(one, TAG.oid, "name"), "name"), value: readValue(one) });
  }
  return out;
}

/**
 * A v1 trap of a notification whose identifier has no zero before its last arc gets one on the way (RFC 3584 sections 3.1 and 3.2):
 * the identifier without it, or null.
 */
export function withoutMappedZero(oid: string): string | null {
  const last = oid.lastIndexOf(".");
  return last > 2 && oid.slice(0, last).endsWith(".0") ? oid.slice(0, last - 2) + oid.slice(last) : null;
}

const writeVarBinds = (varbinds: readonly VarBind[]): Uint8Array =>
  sequence(...varbinds.map((v) => sequence(oid(v.oid), writeValue(v.value))));

/** A PDU of the common form: trap, inform, response, report. */
export const writePdu = (tag: number, requestId: number, varbinds: readonly VarBind[]): Uint8Array =>
  tlv(tag, integer(requestId), integer(0), integer(0), writeVarBinds(varbinds));

export function writeTrapV1(t: {
  readonly enterprise: string;
  readonly agentAddress: string;
  readonly generic: number;
  readonly specific: number;
  readonly uptimeTicks: number;
  readonly varbinds: readonly VarBind[];
}): Uint8Array {
  return tlv(
    PDU.trapV1,
    oid(t.enterprise),
    writeValue({ type: "ip address", value: t.agentAddress }),
    integer(t.generic),
    integer(t.specific),
    integer(t.uptimeTicks, TAG.timeTicks),
    writeVarBinds(t.varbinds),
  );
}
