import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { US_PER_MS, US_PER_SECOND } from "../../base/time/index.js";
import { ipv4Text } from "./addresses.js";
import { emptyFlow, type FlowRecord } from "./flow-record.js";

const HEADER_OCTETS = 24;
const RECORD_OCTETS = 48;
const MAX_RECORDS = 30;

export interface NetFlow5 {
  readonly domain: number;
  /** Flows sent before this datagram. */
  readonly sequence: number;
  readonly records: FlowRecord[];
}

/**
 * NetFlow version 5 (field layout: common practice, published by its vendor; no RFC).
 * @throws {DecodeError} BAD_LENGTH when the count does not fit the datagram
 */
export function readNetFlow5(bytes: Uint8Array): NetFlow5 {
  const r = new ByteReader(bytes);
  r.skip(2, "version");
  const countAt = r.offset;
  const count = r.u16("count");
  const uptimeMs = r.u32("sysUptime");
  const exportUs = r.u32("unix seconds") * US_PER_SECOND + Math.floor(r.u32("nanoseconds") / 1000);
  const sequence = r.u32("flow sequence");
  const domain = r.u16("engine type and id");
  const sampling = r.u16("sampling interval");
  if (count === 0 || count > MAX_RECORDS || bytes.length < HEADER_OCTETS + count * RECORD_OCTETS)
    throw new DecodeError(
      "BAD_LENGTH",
      countAt,
      `count: expected 1 to ${MAX_RECORDS} records of ${RECORD_OCTETS} bytes, got ${count} in ${bytes.length} bytes`,
    );
  // top 2 bits: mode; low 14: interval
  const rate = Math.max(1, sampling & 0x3fff);
  const records: FlowRecord[] = [];
  for (let i = 0; i < count; i++) {
    const f = emptyFlow();
    f.src = ipv4Text(r.u32("source"));
    f.dst = ipv4Text(r.u32("destination"));
    f.nextHop = nonZero(r.u32("next hop"));
    f.ingress = r.u16("input");
    f.egress = r.u16("output");
    f.packets = r.u32("packets") * rate;
    f.bytes = r.u32("octets") * rate;
    // device uptime wraps every 49.7 days: the difference is taken modulo 2^32
    f.startUs = exportUs - ((uptimeMs - r.u32("first")) >>> 0) * US_PER_MS;
    f.endUs = exportUs - ((uptimeMs - r.u32("last")) >>> 0) * US_PER_MS;
    f.srcPort = r.u16("source port");
    f.dstPort = r.u16("destination port");
    r.skip(1, "padding");
    f.tcpFlags = r.u8("TCP flags");
    f.protocol = r.u8("protocol");
    f.tos = r.u8("type of service");
    f.srcAs = r.u16("source AS");
    f.dstAs = r.u16("destination AS");
    f.srcMask = r.u8("source mask");
    f.dstMask = r.u8("destination mask");
    r.skip(2, "padding");
    f.samplingRate = rate;
    if (f.protocol === 1) {
      // ICMP type and code travel in the destination port
      f.icmp = f.dstPort;
      f.srcPort = null;
      f.dstPort = null;
    }
    records.push(f);
  }
  return { domain, sequence, records };
}

const nonZero = (bits: number): string | null => (bits === 0 ? null : ipv4Text(bits));
