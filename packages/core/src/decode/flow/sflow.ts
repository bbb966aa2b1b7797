import { ByteReader, DecodeError, type DecodeProblem } from "../../base/bytes/index.js";
import { timesRate } from "../../model/record/index.js";
import { ipv4Text, ipv6Text } from "./addresses.js";
import { MAX_SAMPLING_RATE } from "./data-record.js";
import { emptyFlow, type FlowRecord, type InterfaceMeasure } from "./flow-record.js";
import { readSampledHeader } from "./sampled-header.js";

/** Formats of samples and of records within them (sFlow version 5, section 5); enterprise 0. */
const SAMPLE = { flow: 1, counters: 2, flowExpanded: 3, countersExpanded: 4 } as const;
const RECORD = { header: 1, ipv4: 3, ipv6: 4, switch: 1001, router: 1002, gateway: 1003 } as const;
const GENERIC_COUNTERS = 1;
const UNKNOWN_INTERFACE = 0x3fff_ffff;
const MAX_SAMPLES = 1_000;

export interface SFlow {
  readonly agent: string;
  readonly subAgent: number;
  readonly sequence: number;
  readonly uptimeMs: number;
  readonly records: FlowRecord[];
  readonly measures: InterfaceMeasure[];
  readonly problems: DecodeProblem[];
}

/** An sFlow version 5 datagram. Everything is XDR: records are skipped by their length, padded to 4. Samples carry no time. */
export function readSFlow(bytes: Uint8Array): SFlow {
  const r = new ByteReader(bytes);
  const version = r.u32("version");
  if (version !== 5) throw new DecodeError("UNSUPPORTED", 0, `sFlow version: expected 5, got ${version}`);
  const agent = readAddress(r, "agent") ?? "0.0.0.0";
  const subAgent = r.u32("sub-agent id");
  const sequence = r.u32("sequence");
  const uptimeMs = r.u32("uptime");
  const countAt = r.offset;
  const count = r.u32("samples");
  if (count > MAX_SAMPLES)
    throw new DecodeError("BAD_LENGTH", countAt, `samples: expected at most ${MAX_SAMPLES}, got ${count}`);
  const out: SFlow = { agent, subAgent, sequence, uptimeMs, records: [], measures: [], problems: [] };
  for (let i = 0; i < count; i++) {
    const format = r.u32("sample format");
    const body = r.sub(r.u32("sample length"), "sample");
    try {
      if (format === SAMPLE.flow || format === SAMPLE.flowExpanded)
        readFlowSample(body, format === SAMPLE.flowExpanded, out);
      else if (format === SAMPLE.counters || format === SAMPLE.countersExpanded)
        readCountersSample(body, format === SAMPLE.countersExpanded, out);
    } catch (e) {
      if (!(e instanceof DecodeError)) throw e;
      out.problems.push({ code: e.code, offset: e.offset, message: e.message });
    }
  }
  return out;
}

function readFlowSample(r: ByteReader, expanded: boolean, out: SFlow): void {
  r.skip(4, "sample sequence");
  r.skip(expanded ? 8 : 4, "source id");
  const statedRate = r.u32("sampling rate");
  const rate = statedRate > MAX_SAMPLING_RATE ? 1 : Math.max(1, statedRate);
  r.skip(8, "sample pool and drops");
  const f = emptyFlow();
  if (expanded) {
    const inFormat = r.u32("input format");
    f.ingress = knownInterface(inFormat, r.u32("input"));
    const outFormat = r.u32("output format");
    f.egress = knownInterface(outFormat, r.u32("output"));
  } else {
    const input = r.u32("input");
    f.ingress = knownInterface(input >>> 30, input & UNKNOWN_INTERFACE);
    const output = r.u32("output");
    f.egress = knownInterface(output >>> 30, output & UNKNOWN_INTERFACE);
  }
  let frameOctets: number | null = null;
  const records = r.u32("records");
  for (let i = 0; i < records && r.left > 0; i++) {
    const format = r.u32("record format");
    const body = r.sub(r.u32("record length"), "record");
    frameOctets = readFlowRecord(body, format, f) ?? frameOctets;
  }
  f.samplingRate = rate;
  f.packets = rate;
  f.bytes = frameOctets === null ? null : timesRate(frameOctets, rate);
  if (rate < statedRate) f.extra = [...f.extra, ["unreadable sampling rate", String(statedRate)]];
  out.records.push(f);
}

/** @returns octets of the sampled frame, where this record says */
function readFlowRecord(r: ByteReader, format: number, f: FlowRecord): number | null {
  switch (format) {
    case RECORD.header: {
      const protocol = r.u32("header protocol");
      const frameOctets = r.u32("frame length");
      r.skip(4, "stripped");
      const octets = r.u32("header length");
      readSampledHeader(protocol, r.slice(octets, "header"), f);
      return frameOctets;
    }
    case RECORD.ipv4:
    case RECORD.ipv6: {
      const octets = r.u32("IP length");
      f.protocol = r.u32("protocol");
      f.src = format === RECORD.ipv4 ? ipv4Text(r.u32("source")) : ipv6Text(r.slice(16, "source"));
      f.dst = format === RECORD.ipv4 ? ipv4Text(r.u32("destination")) : ipv6Text(r.slice(16, "destination"));
      f.srcPort = r.u32("source port");
      f.dstPort = r.u32("destination port");
      f.tcpFlags = r.u32("TCP flags");
      f.tos = r.u32("type of service");
      return octets;
    }
    case RECORD.switch:
      f.vlan = r.u32("source VLAN");
      return null;
    case RECORD.router:
      f.nextHop = readAddress(r, "next hop");
      f.srcMask = r.u32("source mask");
      f.dstMask = r.u32("destination mask");
      return null;
    case RECORD.gateway: {
      f.nextHop = readAddress(r, "next hop");
      r.skip(4, "own AS");
      f.srcAs = r.u32("source AS");
      return null;
    }
    default:
      return null;
  }
}

/** Format 0 is an interface index; 1 a reason for discarding; 2 the number of outputs. */
const knownInterface = (format: number, value: number): number | null =>
  format === 0 && value !== UNKNOWN_INTERFACE ? value : null;

function readCountersSample(r: ByteReader, expanded: boolean, out: SFlow): void {
  r.skip(4, "sample sequence");
  r.skip(expanded ? 8 : 4, "source id");
  const records = r.u32("records");
  for (let i = 0; i < records && r.left > 0; i++) {
    const format = r.u32("record format");
    const body = r.sub(r.u32("record length"), "record");
    if (format === GENERIC_COUNTERS) out.measures.push(readInterface(body));
  }
}

function readInterface(r: ByteReader): InterfaceMeasure {
  const index = r.u32("ifIndex");
  const type = r.u32("ifType");
  const speed = r.u64("ifSpeed");
  r.skip(4, "ifDirection");
  // bits 0 and 1 have a meaning (section 5.4); the others are none of ours
  const status = r.u32("ifStatus") & 3;
  const inOctets = r.u64("ifInOctets");
  const inPackets = r.u32("ifInUcastPkts") + r.u32("ifInMulticastPkts") + r.u32("ifInBroadcastPkts");
  const inDiscards = r.u32("ifInDiscards");
  const inErrors = r.u32("ifInErrors");
  r.skip(4, "ifInUnknownProtos");
  const outOctets = r.u64("ifOutOctets");
  const outPackets = r.u32("ifOutUcastPkts") + r.u32("ifOutMulticastPkts") + r.u32("ifOutBroadcastPkts");
  const outDiscards = r.u32("ifOutDiscards");
  const outErrors = r.u32("ifOutErrors");
  return {
    interface: index,
    type,
    speed,
    status,
    inOctets,
    inPackets,
    inDiscards,
    inErrors,
    outOctets,
    outPackets,
    outDiscards,
    outErrors,
  };
}

function readAddress(r: ByteReader, what: string): string | null {
  const at = r.offset;
  const type = r.u32(`${what} type`);
  if (type === 0) return null;
  if (type === 1) return ipv4Text(r.u32(what));
  if (type === 2) return ipv6Text(r.slice(16, what));
  throw new DecodeError("BAD_VALUE", at, `${what}: expected address type 0, 1 or 2, got ${type}`);
}
