import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { addressFromBytes } from "../../base/net/index.js";
import type { EpochUs } from "../../base/time/index.js";
import { Fragments, type IpHeader, ipBehind, linkLayer, readIpHeader } from "../capture/index.js";
import { DNS_PORT, DnsExchanges } from "./dns-exchanges.js";
import { IcmpErrors } from "./icmp-errors.js";
import { ETHERTYPE_ARP, Neighbours } from "./neighbours.js";
import type { Observation } from "./observation.js";
import { TcpConnections } from "./tcp-connections.js";

const ICMP = 1;
const TCP = 6;
const UDP = 17;
const ICMPV6 = 58;

export interface PacketReaderOptions {
  /** Queries of paths are told as they are, not left out. */
  readonly keepsQueries: boolean;
}

/**
 * What packets tell beyond how many they are: questions of DNS and their answers, requests of HTTP/1, handshakes of TLS, connections of TCP, errors
 * of ICMP, neighbours. In bounded memory, whatever comes; of a tunnel the outer packet is read, the inner not opened. Bodies are never kept.
 */
export class PacketReader {
  private told: Observation[] = [];
  private readonly fragments = new Fragments();
  private readonly dns: DnsExchanges;
  private readonly connections: TcpConnections;
  private readonly icmp: IcmpErrors;
  private readonly neighbours: Neighbours;
  private nowUs: EpochUs = Number.NEGATIVE_INFINITY;

  constructor(options: PacketReaderOptions) {
    const tell = (o: Observation) => {
      this.told.push(o);
    };
    this.dns = new DnsExchanges(tell);
    this.connections = new TcpConnections(this.dns, options.keepsQueries, tell);
    this.icmp = new IcmpErrors(tell);
    this.neighbours = new Neighbours(tell);
  }

  /** Exchanges that were given up because there were too many at once. */
  get evicted(): number {
    return this.dns.evicted + this.connections.evicted;
  }

  /**
   * @param timeUs when the frame was captured; one that comes late moves no clock back
   * @throws {DecodeError} when the frame cannot be read; the next one can
   */
  add(timeUs: EpochUs, linkType: number, frame: Uint8Array): void {
    this.nowUs = Math.max(this.nowUs, timeUs);
    this.dns.expire(this.nowUs);
    this.icmp.expire(this.nowUs);
    const link = linkLayer(linkType, frame);
    if (link.type === ETHERTYPE_ARP) {
      this.neighbours.arp(timeUs, link.r);
      return;
    }
    const found = ipBehind(link);
    if (found === null) return;
    const h = readIpHeader(found);
    if (h.protocol !== TCP && h.protocol !== UDP && h.protocol !== ICMP && h.protocol !== ICMPV6) return;
    const payload = h.r.slice(Math.min(h.r.left, h.payloadBytes), "IP payload");
    const cut = h.payloadBytes - payload.length;
    if (h.fragment === null) this.readPart(timeUs, h, payload, cut);
    // of a fragment that was cut nothing becomes whole
    else if (cut === 0) {
      const whole = this.fragments.add({ ...namesOf(h), payload, fragment: h.fragment });
      if (whole !== null) this.read(timeUs, h, whole.payload, 0);
    }
  }

  /** Time goes on, whether packets come or not. */
  pass(nowUs: EpochUs): void {
    this.nowUs = Math.max(this.nowUs, nowUs);
    this.dns.expire(this.nowUs);
    this.icmp.expire(this.nowUs);
    this.connections.pass(this.nowUs);
  }

  /** What was told since this was last asked. */
  take(): Observation[] {
    if (this.told.length === 0) return this.told;
    const { told } = this;
    this.told = [];
    return told;
  }

  /** Nothing more comes: all that is open is told of as it stands. */
  end(): Observation[] {
    this.connections.end();
    this.dns.end();
    this.icmp.end();
    return this.take();
  }

  /** Of a packet that was cut when it was captured, what is not there is nobody's mistake. */
  private readPart(timeUs: EpochUs, h: IpHeader, payload: Uint8Array, cut: number): void {
    try {
      this.read(timeUs, h, payload, cut);
    } catch (e) {
      if (!(e instanceof DecodeError) || cut === 0) throw e;
    }
  }

  private read(timeUs: EpochUs, h: IpHeader, payload: Uint8Array, cut: number): void {
    if (h.protocol === TCP) this.connections.add(timeUs, { src: h.src, dst: h.dst, payload, cut });
    else if (h.protocol === UDP) this.datagram(timeUs, h, payload);
    else {
      const packet = namesOf(h);
      if (h.protocol === ICMPV6) this.neighbours.discovery(timeUs, packet.src, payload);
      this.icmp.add(timeUs, packet, payload);
    }
  }

  private datagram(timeUs: EpochUs, h: IpHeader, payload: Uint8Array): void {
    const r = new ByteReader(payload);
    const srcPort = r.u16("UDP source port");
    const dstPort = r.u16("UDP destination port");
    if (srcPort !== DNS_PORT && dstPort !== DNS_PORT) return;
    r.skip(4, "UDP length and checksum");
    try {
      this.dns.add(timeUs, { ...namesOf(h), srcPort, dstPort }, UDP, r.slice(r.left, "UDP data"));
    } catch (e) {
      // something else may use the port
      if (!(e instanceof DecodeError)) throw e;
    }
  }
}

/** Its ends as text, which takes long: made only where they are told of. */
const namesOf = (h: IpHeader) => ({
  src: addressFromBytes(h.src),
  dst: addressFromBytes(h.dst),
  protocol: h.protocol,
});
