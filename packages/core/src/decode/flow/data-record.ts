import { ByteReader } from "../../base/bytes/index.js";
import { US_PER_MS, US_PER_SECOND } from "../../base/time/index.js";
import { type Count, timesRate, toCount } from "../../model/record/index.js";
import { ipv4Text, ipv6Text } from "./addresses.js";
import { ELEMENT, OTHER_ELEMENTS, REVERSE_PEN } from "./elements.js";
import { emptyFlow, type FlowRecord, NO_EXTRA } from "./flow-record.js";
import { type Template, type TemplateField, VARIABLE } from "./template.js";

/** What times in a record are relative to. */
export interface ExportClock {
  readonly exportUs: number;
  /** The exporter's uptime at export (NetFlow v9), or null. */
  readonly uptimeMs: number | null;
  /** When the exporter booted, where options told (IPFIX systemInitTimeMilliseconds). */
  readonly systemInitUs: number | null;
}

/** Sampling known for an exporter: by sampler, and for all else. */
export interface Sampling {
  /** Of all flows that name no sampler; 1: not told. */
  rate: number;
  readonly bySampler: Map<number, number>;
}

/**
 * One packet in 2^24 is the thinnest sampling that is believed (common practice, no source): a greater rate, said once in an option, would
 * make every later flow of its exporter absurd.
 */
export const MAX_SAMPLING_RATE = 2 ** 24;

/** Seconds from 1900 (NTP) to 1970. */
const NTP_EPOCH_SECONDS = 2_208_988_800;

/**
 * Reads one data record of a flow template into columns. Counters may come in fewer octets than the registry says
 * (RFC 7011 section 6.2).
 * @param view of the whole datagram; @param at where the record begins
 * @returns where it ends, or -1 when it does not fit before `end`
 */
export class FlowReader {
  /** Where the last record ended. */
  next = 0;

  constructor(
    private readonly bytes: Uint8Array,
    private readonly view: DataView,
    private readonly clock: ExportClock,
    private readonly sampling: Sampling,
    private readonly applications: ReadonlyMap<string, string>,
  ) {}

  read(template: Template, start: number, end: number): FlowRecord | null {
    const f = emptyFlow();
    let at = start;
    let rate = 0;
    let sampler: number | null = null;
    let durationUs: number | null = null;
    for (const field of template.fields) {
      let length = field.length;
      if (length === VARIABLE) {
        // RFC 7011 section 7: one octet, or 255 and two more
        if (at >= end) return null;
        length = this.bytes[at++]!;
        if (length === 255) {
          if (at + 2 > end) return null;
          length = this.view.getUint16(at);
          at += 2;
        }
      }
      if (at + length > end) return null;
      const from = at;
      at += length;
      if (field.enterprise !== 0) {
        this.enterprise(f, field, from, length);
        continue;
      }
      switch (field.element) {
        case ELEMENT.bytes:
          f.bytes = this.counter(f, "bytes", from, length);
          break;
        case ELEMENT.packets:
          f.packets = this.counter(f, "packets", from, length);
          break;
        case ELEMENT.totalBytes:
          f.bytes ??= this.counter(f, "total bytes", from, length);
          break;
        case ELEMENT.totalPackets:
          f.packets ??= this.counter(f, "total packets", from, length);
          break;
        case ELEMENT.protocol:
          f.protocol = this.unsigned(from, length);
          break;
        case ELEMENT.tos:
          f.tos = this.unsigned(from, length);
          break;
        case ELEMENT.dscp:
          f.tos ??= this.unsigned(from, length) << 2;
          break;
        case ELEMENT.tcpFlags:
          // RFC 7125: one or two octets
          f.tcpFlags = this.unsigned(from, length);
          break;
        case ELEMENT.srcPort:
          f.srcPort = this.unsigned(from, length);
          break;
        case ELEMENT.dstPort:
          f.dstPort = this.unsigned(from, length);
          break;
        case ELEMENT.srcIpv4:
          if (length === 4) f.src = ipv4Text(this.view.getUint32(from));
          break;
        case ELEMENT.dstIpv4:
          if (length === 4) f.dst = ipv4Text(this.view.getUint32(from));
          break;
        case ELEMENT.srcIpv6:
          // both families in one template: the one that is not all zeros is meant
          if (length === 16) f.src = this.meant(f.src, from);
          break;
        case ELEMENT.dstIpv6:
          if (length === 16) f.dst = this.meant(f.dst, from);
          break;
        case ELEMENT.nextHopIpv4: {
          const bits = length === 4 ? this.view.getUint32(from) : 0;
          if (bits !== 0) f.nextHop = ipv4Text(bits);
          break;
        }
        case ELEMENT.nextHopIpv6:
          if (length === 16) f.nextHop ??= ipv6Text(this.bytes.subarray(from, at));
          break;
        case ELEMENT.ingress:
          f.ingress = this.unsigned(from, length);
          break;
        case ELEMENT.egress:
          f.egress = this.unsigned(from, length);
          break;
        case ELEMENT.srcMask:
        case ELEMENT.srcMaskIpv6:
          f.srcMask = this.unsigned(from, length) || f.srcMask;
          break;
        case ELEMENT.dstMask:
        case ELEMENT.dstMaskIpv6:
          f.dstMask = this.unsigned(from, length) || f.dstMask;
          break;
        case ELEMENT.srcAs:
          f.srcAs = this.unsigned(from, length);
          break;
        case ELEMENT.dstAs:
          f.dstAs = this.unsigned(from, length);
          break;
        case ELEMENT.icmp4:
        case ELEMENT.icmp6:
          f.icmp = this.unsigned(from, length);
          break;
        case ELEMENT.vlan:
          f.vlan = this.unsigned(from, length);
          break;
        case ELEMENT.direction:
          f.direction = this.unsigned(from, length);
          break;
        case ELEMENT.firewallEvent:
          f.firewallEvent = this.unsigned(from, length);
          break;
        case ELEMENT.application: {
          const id = hex(this.bytes, from, at);
          f.application = this.applications.get(id) ?? id;
          break;
        }
        case ELEMENT.applicationName:
          f.application = text(this.bytes.subarray(from, at));
          break;
        case ELEMENT.natSrcIpv4:
          if (length === 4) f.natSrc = ipv4Text(this.view.getUint32(from));
          break;
        case ELEMENT.natDstIpv4:
          if (length === 4) f.natDst = ipv4Text(this.view.getUint32(from));
          break;
        case ELEMENT.natSrcPort:
          f.natSrcPort = this.unsigned(from, length);
          break;
        case ELEMENT.natDstPort:
          f.natDstPort = this.unsigned(from, length);
          break;
        case ELEMENT.samplingInterval:
        case ELEMENT.samplerInterval:
          rate = this.unsigned(from, length);
          break;
        case ELEMENT.samplerId:
        case ELEMENT.selectorId:
          sampler = this.unsigned(from, length);
          break;
        case ELEMENT.startUptime:
          f.startUs = this.uptime(this.unsigned(from, length));
          break;
        case ELEMENT.endUptime:
          f.endUs = this.uptime(this.unsigned(from, length));
          break;
        case ELEMENT.startSeconds:
          f.startUs = this.unsigned(from, length) * US_PER_SECOND;
          break;
        case ELEMENT.endSeconds:
          f.endUs = this.unsigned(from, length) * US_PER_SECOND;
          break;
        case ELEMENT.startMs:
          f.startUs = this.unsigned(from, length) * US_PER_MS;
          break;
        case ELEMENT.endMs:
          f.endUs = this.unsigned(from, length) * US_PER_MS;
          break;
        case ELEMENT.startUs:
        case ELEMENT.startNs:
          f.startUs = this.ntp(from, length);
          break;
        case ELEMENT.endUs:
        case ELEMENT.endNs:
          f.endUs = this.ntp(from, length);
          break;
        case ELEMENT.startDeltaUs:
          f.startUs = this.clock.exportUs - this.unsigned(from, length);
          break;
        case ELEMENT.endDeltaUs:
          f.endUs = this.clock.exportUs - this.unsigned(from, length);
          break;
        case ELEMENT.durationMs:
          durationUs = this.unsigned(from, length) * US_PER_MS;
          break;
        case ELEMENT.durationUs:
          durationUs = this.unsigned(from, length);
          break;
        case ELEMENT.padding:
          break;
        default:
          this.other(f, field, from, length);
      }
    }
    this.next = at;
    if (durationUs !== null) {
      if (f.startUs === null && f.endUs !== null) f.startUs = f.endUs - durationUs;
      else if (f.endUs === null && f.startUs !== null) f.endUs = f.startUs + durationUs;
    }
    if (rate > MAX_SAMPLING_RATE) {
      this.put(f, "unreadable sampling rate", String(rate));
      rate = 0;
    }
    // RFC 3954 section 8: a sampler's rate goes for the flows that name it, and for no others
    rate ||= sampler === null ? this.sampling.rate : (this.sampling.bySampler.get(sampler) ?? 1);
    if (rate > 1) {
      f.samplingRate = rate;
      f.bytes = this.estimate(f, "bytes", f.bytes, rate);
      f.packets = this.estimate(f, "packets", f.packets, rate);
      f.reverseBytes = this.estimate(f, "reverse bytes", f.reverseBytes, rate);
      f.reversePackets = this.estimate(f, "reverse packets", f.reversePackets, rate);
    }
    if (f.protocol === 1 || f.protocol === 58) {
      // without an element of its own, ICMP type and code travel in the destination port
      f.icmp ??= f.dstPort;
      f.srcPort = null;
      f.dstPort = null;
    }
    return f;
  }

  private unsigned(at: number, length: number): number {
    switch (length) {
      case 1:
        return this.bytes[at]!;
      case 2:
        return this.view.getUint16(at);
      case 4:
        return this.view.getUint32(at);
      default: {
        // reduced-size encoding gives any length up to 8; beyond 2^53 the nearest number stands
        let value = 0;
        for (let i = 0; i < length; i++) value = value * 256 + this.bytes[at + i]!;
        return Math.min(value, Number.MAX_SAFE_INTEGER);
      }
    }
  }

  /** Exact below 2^63; from there on kept beside the columns, with its octets. */
  private counter(f: FlowRecord, name: string, at: number, length: number): Count | null {
    if (length <= 6) return this.unsigned(at, length);
    let value = 0n;
    for (let i = 0; i < length; i++) value = value * 256n + BigInt(this.bytes[at + i]!);
    const count = length > 8 ? null : toCount(value);
    if (count === null) this.put(f, `unreadable ${name}`, `0x${hex(this.bytes, at, at + length)}`);
    return count;
  }

  private estimate(f: FlowRecord, name: string, counted: Count | null, rate: number): Count | null {
    if (counted === null) return null;
    const estimate = timesRate(counted, rate);
    if (estimate === null) this.put(f, `unreadable ${name}`, `${counted} × ${rate}`);
    return estimate;
  }

  private uptime(ms: number): number | null {
    if (this.clock.uptimeMs !== null) return this.clock.exportUs - ((this.clock.uptimeMs - ms) >>> 0) * US_PER_MS;
    return this.clock.systemInitUs === null ? null : this.clock.systemInitUs + ms * US_PER_MS;
  }

  /** RFC 7011 sections 6.1.9 and 6.1.10: NTP seconds and fraction. */
  private ntp(at: number, length: number): number | null {
    if (length !== 8) return null;
    const seconds = this.view.getUint32(at) - NTP_EPOCH_SECONDS;
    return seconds * US_PER_SECOND + Math.floor((this.view.getUint32(at + 4) * 1e6) / 4_294_967_296);
  }

  private meant(known: string | null, at: number): string | null {
    if (known !== null && known !== "0.0.0.0" && allZero(this.bytes, at, at + 16)) return known;
    return ipv6Text(this.bytes.subarray(at, at + 16));
  }

  private enterprise(f: FlowRecord, field: TemplateField, at: number, length: number): void {
    if (field.enterprise === REVERSE_PEN) {
      // RFC 5103: the other direction's counters must not overwrite these
      if (field.element === ELEMENT.bytes || field.element === ELEMENT.totalBytes) {
        f.reverseBytes = this.counter(f, "reverse bytes", at, length);
        return;
      }
      if (field.element === ELEMENT.packets || field.element === ELEMENT.totalPackets) {
        f.reversePackets = this.counter(f, "reverse packets", at, length);
        return;
      }
      const known = OTHER_ELEMENTS[field.element];
      this.put(f, `reverse ${known ? known[0] : `element ${field.element}`}`, show(this.bytes, at, length, known?.[1]));
      return;
    }
    this.put(f, `enterprise ${field.enterprise} element ${field.element}`, show(this.bytes, at, length, undefined));
  }

  private other(f: FlowRecord, field: TemplateField, at: number, length: number): void {
    const known = OTHER_ELEMENTS[field.element];
    this.put(f, known ? known[0] : `element ${field.element}`, show(this.bytes, at, length, known?.[1]));
  }

  private put(f: FlowRecord, name: string, value: string): void {
    if (f.extra === NO_EXTRA) f.extra = [];
    f.extra.push([name, value]);
  }
}

/** A value of unknown or plain type as text: numbers up to 8 octets, else printable text, else hex. */
export function show(bytes: Uint8Array, at: number, length: number, shape: string | undefined): string {
  const part = bytes.subarray(at, at + length);
  if (shape === "mac" && length === 6) return [...part].map((b) => b.toString(16).padStart(2, "0")).join(":");
  if (shape === "address" && length === 4) return ipv4Text(new ByteReader(part).u32("address"));
  if (shape === "address" && length === 16) return ipv6Text(part);
  if (shape === "text") return text(part);
  if (shape === "unsigned" || length <= 8) {
    let value = 0n;
    for (const b of part) value = value * 256n + BigInt(b);
    return value.toString();
  }
  return isPrintable(part) ? text(part) : hex(bytes, at, at + length);
}

const decoder = new TextDecoder("utf-8");

/** Text as exporters send it: padded with NULs. */
export function text(bytes: Uint8Array): string {
  const end = bytes.indexOf(0);
  return decoder.decode(end < 0 ? bytes : bytes.subarray(0, end)).trim();
}

function isPrintable(bytes: Uint8Array): boolean {
  const end = bytes.indexOf(0);
  const part = end < 0 ? bytes : bytes.subarray(0, end);
  return part.length > 0 && part.every((b) => b >= 32 && b < 127);
}

export function hex(bytes: Uint8Array, from: number, to: number): string {
  let out = "";
  for (let i = from; i < to; i++) out += bytes[i]!.toString(16).padStart(2, "0");
  return out;
}

function allZero(bytes: Uint8Array, from: number, to: number): boolean {
  for (let i = from; i < to; i++) if (bytes[i] !== 0) return false;
  return true;
}
