import { US_PER_MS, US_PER_SECOND } from "@halvik/core/base/time";
import type { Device } from "./devices.js";
import { Octets } from "./octets.js";
import { inside, OUTSIDE } from "./places.js";
import type { Random } from "./random.js";

/** A flow before it is exported. */
export interface SimFlow {
  readonly src: string;
  readonly dst: string;
  readonly srcPort: number;
  readonly dstPort: number;
  readonly protocol: number;
  readonly bytes: number;
  readonly packets: number;
  readonly ingress: number;
  readonly egress: number;
  readonly tos: number;
  readonly tcpFlags: number;
  readonly endUs: number;
  readonly durationUs: number;
}

/** The port of a telemetry program that no registry names; the demo leaves it to be named. */
export const TELEMETRY_PORT = 23_470;
const SAMPLING = 64;
/** Counters count frames of protocols without addresses, too. */
const COUNTED_BESIDE = 1.04;
const TEMPLATE_EVERY_MINUTES = 10;

/** One ordinary flow seen by a device. */
export function ordinaryFlow(device: Device, r: Random, endUs: number): SimFlow {
  const own = device.address.split(".")[2]!;
  const host = r.chance(0.6) ? `10.20.${own}.${r.int(10, 240)}` : inside(r);
  const out = r.chance(0.7);
  const n = r.next();
  const [dstPort, protocol, most] =
    n < 0.45
      ? [443, 6, 4_000_000]
      : n < 0.6
        ? [53, 17, 500]
        : n < 0.7
          ? [123, 17, 120]
          : n < 0.8
            ? [80, 6, 400_000]
            : n < 0.88
              ? [445, 6, 9_000_000]
              : n < 0.93
                ? [514, 17, 3_000]
                : [993, 6, 90_000];
  const peer = dstPort === 445 || dstPort === 514 ? inside(r) : r.pick(OUTSIDE);
  const packets = Math.max(1, Math.round((most / 900) * r.next()));
  return {
    src: out ? host : peer,
    dst: out ? peer : host,
    srcPort: out ? r.int(32_768, 60_999) : dstPort,
    dstPort: out ? dstPort : r.int(32_768, 60_999),
    protocol,
    packets,
    bytes: packets * r.int(60, 1_400),
    ingress: out ? 2 : 1,
    egress: out ? 1 : 2,
    tos: dstPort === 123 ? 184 : 0,
    tcpFlags: protocol === 6 ? 0x1b : 0,
    endUs: endUs - r.int(0, 20) * US_PER_SECOND,
    durationUs: r.int(10, 50_000) * US_PER_MS,
  };
}

/** The crew's telemetry from the ships, all day. */
export const telemetryFlow = (device: Device, r: Random, endUs: number): SimFlow => ({
  ...ordinaryFlow(device, r, endUs),
  src: device.address,
  dst: "10.20.1.40",
  srcPort: TELEMETRY_PORT,
  dstPort: TELEMETRY_PORT,
  protocol: 17,
  packets: r.int(200, 900),
  bytes: r.int(90_000, 700_000),
  tcpFlags: 0,
});

/** Writes flow datagrams as each exporter would; sequence numbers go on from datagram to datagram. */
export class FlowWriter {
  private readonly sequences = new Map<string, number>();
  /** What interfaces have counted since their device was started. */
  private readonly counted = new Map<
    string,
    { inOctets: number; inPackets: number; outOctets: number; outPackets: number }
  >();

  /** Datagrams of the flows a device tells of at a moment. */
  write(device: Device, flows: readonly SimFlow[], atUs: number): Uint8Array[] {
    switch (device.flows?.protocol) {
      case "NetFlow v5":
        return chunks(flows, 30).map((part) => this.netFlow5(device, part, atUs));
      case "NetFlow v9":
        return chunks(flows, 24).map((part) => this.netFlow9(device, part, atUs));
      case "IPFIX":
        return chunks(flows, 24).map((part) => this.ipfix(device, part, atUs));
      case "sFlow v5":
        return chunks(flows, 6).map((part) => this.sFlow(device, part, atUs));
      default:
        return [];
    }
  }

  private sequence(device: Device, advance: number): number {
    const now = this.sequences.get(device.name) ?? 0;
    this.sequences.set(device.name, (now + advance) % 4_294_967_296);
    return now;
  }

  private netFlow5(device: Device, flows: readonly SimFlow[], atUs: number): Uint8Array {
    const uptimeMs = uptime(atUs);
    const o = new Octets()
      .u16(5)
      .u16(flows.length)
      .u32(uptimeMs)
      .u32(Math.floor(atUs / US_PER_SECOND));
    o.u32((atUs % US_PER_SECOND) * 1_000)
      .u32(this.sequence(device, flows.length))
      .u16(0)
      .u16(0x4000 | SAMPLING);
    for (const f of flows) {
      const agoMs = (us: number) => (uptimeMs - Math.max(0, Math.floor((atUs - us) / US_PER_MS))) >>> 0;
      // counted packets: one in so many
      const packets = Math.max(1, Math.round(f.packets / SAMPLING));
      o.ip(f.src)
        .ip(f.dst)
        .u32(0)
        .u16(f.ingress)
        .u16(f.egress)
        .u32(packets)
        .u32(Math.max(40, Math.round(f.bytes / SAMPLING)));
      o.u32(agoMs(f.endUs - f.durationUs))
        .u32(agoMs(f.endUs))
        .u16(f.srcPort)
        .u16(f.dstPort)
        .u8(0)
        .u8(f.tcpFlags);
      o.u8(f.protocol).u8(f.tos).u16(0).u16(0).u8(24).u8(24).u16(0);
    }
    return o.done();
  }

  private netFlow9(device: Device, flows: readonly SimFlow[], atUs: number): Uint8Array {
    const uptimeMs = uptime(atUs);
    const first = !this.sequences.has(device.name);
    const o = new Octets()
      .u16(9)
      .u16(flows.length)
      .u32(uptimeMs)
      .u32(Math.floor(atUs / US_PER_SECOND))
      .u32(this.sequence(device, 1))
      .u32(1);
    if (first || templatesDue(atUs)) {
      set(o, 0, (s) => {
        s.u16(256).u16(V9_FIELDS.length);
        for (const [element, length] of V9_FIELDS) s.u16(element).u16(length);
      });
      // options: names of interfaces, by interface (scope 2)
      set(o, 1, (s) => s.u16(257).u16(4).u16(4).u16(2).u16(4).u16(82).u16(12));
      set(o, 257, (s) => {
        for (const [index, name] of INTERFACES) s.u32(index).text(name, 12);
      });
    }
    set(o, 256, (s) => {
      for (const f of flows) {
        const agoMs = (us: number) => (uptimeMs - Math.max(0, Math.floor((atUs - us) / US_PER_MS))) >>> 0;
        s.ip(f.src)
          .ip(f.dst)
          .u16(f.srcPort)
          .u16(f.dstPort)
          .u8(f.protocol)
          .u8(f.tos)
          .u8(f.tcpFlags)
          .u32(f.bytes)
          .u32(f.packets);
        s.u16(f.ingress)
          .u16(f.egress)
          .u32(agoMs(f.endUs))
          .u32(agoMs(f.endUs - f.durationUs));
      }
    });
    return o.done();
  }

  private ipfix(device: Device, flows: readonly SimFlow[], atUs: number): Uint8Array {
    const first = !this.sequences.has(device.name);
    const o = new Octets()
      .u16(10)
      .u16(0)
      .u32(Math.floor(atUs / US_PER_SECOND))
      .u32(this.sequence(device, flows.length))
      .u32(7);
    if (first || templatesDue(atUs))
      set(o, 2, (s) => {
        s.u16(300).u16(IPFIX_FIELDS.length);
        for (const [element, length] of IPFIX_FIELDS) s.u16(element).u16(length);
      });
    set(o, 300, (s) => {
      for (const f of flows) {
        s.ip(f.src)
          .ip(f.dst)
          .u16(f.srcPort)
          .u16(f.dstPort)
          .u8(f.protocol)
          .u8(f.tos)
          .u8(f.tcpFlags)
          .u64(f.bytes)
          .u32(f.packets);
        s.u32(f.ingress)
          .u32(f.egress)
          .u64(Math.floor((f.endUs - f.durationUs) / US_PER_MS))
          .u64(Math.floor(f.endUs / US_PER_MS));
      }
    });
    o.setU16(2, o.length);
    return o.done();
  }

  private sFlow(device: Device, flows: readonly SimFlow[], atUs: number): Uint8Array {
    const sequence = this.sequence(device, 1);
    const rate = 400;
    const o = new Octets()
      .u32(5)
      .u32(1)
      .ip(device.address)
      .u32(0)
      .u32(sequence)
      .u32(uptime(atUs))
      .u32(flows.length + 1);
    for (const f of flows) {
      const header = new Octets().raw(Uint8Array.of(2, 0, 0, 0, 0, 1, 2, 0, 0, 0, 0, 2)).u16(0x0800);
      header
        .u8(0x45)
        .u8(f.tos)
        .u16(60)
        .u16(1)
        .u16(0x4000)
        .u8(64)
        .u8(f.protocol)
        .u16(0)
        .ip(f.src)
        .ip(f.dst)
        .u16(f.srcPort)
        .u16(f.dstPort);
      header.u32(1).u32(2).u8(0x50).u8(f.tcpFlags);
      const bytes = header.done();
      const padded = Math.ceil(bytes.length / 4) * 4;
      o.u32(1)
        .u32(32 + 8 + 16 + padded)
        .u32(sequence)
        .u32(f.ingress)
        .u32(rate)
        .u32(sequence * rate)
        .u32(0)
        .u32(f.ingress)
        .u32(f.egress)
        .u32(1);
      o.u32(1)
        .u32(16 + padded)
        .u32(1)
        .u32(Math.max(64, Math.round(f.bytes / f.packets)))
        .u32(4)
        .u32(bytes.length)
        .raw(bytes);
      for (let i = bytes.length; i < padded; i++) o.u8(0);
    }
    const counted = this.counted.get(device.name) ?? { inOctets: 0, inPackets: 0, outOctets: 0, outPackets: 0 };
    this.counted.set(device.name, counted);
    for (const f of flows) {
      // each sample stands for so many packets of its size; beside them there is what no sample tells of
      const octets = Math.round(rate * Math.max(64, Math.round(f.bytes / f.packets)) * COUNTED_BESIDE);
      if (f.ingress === 1) {
        counted.inOctets += octets;
        counted.inPackets += rate;
      } else {
        counted.outOctets += octets;
        counted.outPackets += rate;
      }
    }
    o.u32(2)
      .u32(12 + 8 + 88)
      .u32(sequence)
      .u32(1)
      .u32(1)
      .u32(1)
      .u32(88)
      .u32(1)
      .u32(6)
      .u64(1_000_000_000)
      .u32(1)
      .u32(3);
    o.u64(counted.inOctets)
      .u32(counted.inPackets % 4_294_967_296)
      .u32(0)
      .u32(0)
      .u32(0)
      .u32(0)
      .u32(0);
    o.u64(counted.outOctets)
      .u32(counted.outPackets % 4_294_967_296)
      .u32(0)
      .u32(0)
      .u32(0)
      .u32(0)
      .u32(0);
    return o.done();
  }
}

const V9_FIELDS = [
  [8, 4],
  [12, 4],
  [7, 2],
  [11, 2],
  [4, 1],
  [5, 1],
  [6, 1],
  [1, 4],
  [2, 4],
  [10, 2],
  [14, 2],
  [21, 4],
  [22, 4],
] as const;
const IPFIX_FIELDS = [
  [8, 4],
  [12, 4],
  [7, 2],
  [11, 2],
  [4, 1],
  [5, 1],
  [6, 1],
  [1, 8],
  [2, 4],
  [10, 4],
  [14, 4],
  [152, 8],
  [153, 8],
] as const;
const INTERFACES = [
  [1, "wan0"],
  [2, "lan0"],
] as const;

const uptime = (atUs: number): number => Math.floor(atUs / US_PER_MS) % 4_294_967_296;
const templatesDue = (atUs: number): boolean => Math.floor(atUs / (60 * US_PER_SECOND)) % TEMPLATE_EVERY_MINUTES === 0;

/** A set with its length put in afterwards. */
function set(o: Octets, id: number, body: (o: Octets) => unknown): void {
  const start = o.length;
  o.u16(id).u16(0);
  body(o);
  while ((o.length - start) % 4 !== 0) o.u8(0);
  o.setU16(start + 2, o.length - start);
}

function chunks<T>(list: readonly T[], most: number): T[][] {
  const out: T[][] = [];
  for (let i = 0; i < list.length; i += most) out.push(list.slice(i, i + most));
  return out;
}
