import { ByteReader } from "../../base/bytes/index.js";
import { AgedMap } from "../../base/collections/index.js";
import { addressFromBytes } from "../../base/net/index.js";
import { type EpochUs, US_PER_HOUR } from "../../base/time/index.js";
import type { Tell } from "./ends.js";

export const ETHERTYPE_ARP = 0x0806;
const ETHERNET = 1;
const IPV4 = 0x0800;
const SOLICITATION = 135;
const ADVERTISEMENT = 136;
const SOURCE_LINK_LAYER = 1;
const TARGET_LINK_LAYER = 2;
/** What goes on being so is told again after so long. */
const AGAIN_US = US_PER_HOUR;
const MOST_KNOWN = 20_000;

/** Who has which address, by ARP (RFC 826) and neighbour discovery (RFC 4861): told when it is new or changes, and every hour. */
export class Neighbours {
  private readonly known = new AgedMap<string, { mac: string; toldUs: EpochUs }>();

  constructor(private readonly tell: Tell) {}

  /** @param r behind the EtherType @throws {DecodeError} when the packet is cut */
  arp(timeUs: EpochUs, r: ByteReader): void {
    const [hardware, protocol] = [r.u16("ARP hardware"), r.u16("ARP protocol")];
    const [macBytes, addressBytes] = [r.u8("ARP address length"), r.u8("ARP address length")];
    if (hardware !== ETHERNET || protocol !== IPV4 || macBytes !== 6 || addressBytes !== 4) return;
    r.skip(2, "ARP operation");
    const mac = r.slice(6, "ARP sender");
    const address = r.slice(4, "ARP sender");
    // RFC 5227: who only asks whether an address is free has none yet
    if (address.every((octet) => octet === 0)) return;
    this.learn(timeUs, addressFromBytes(address), mac);
  }

  /** @param body an ICMPv6 message @throws {DecodeError} when it is cut */
  discovery(timeUs: EpochUs, src: string, body: Uint8Array): void {
    const r = new ByteReader(body);
    const type = r.u8("ICMPv6 type");
    if (type !== SOLICITATION && type !== ADVERTISEMENT) return;
    r.skip(7, "neighbour discovery");
    const target = addressFromBytes(r.slice(16, "neighbour discovery: target"));
    while (r.left >= 8) {
      const option = r.u8("option");
      const octets = r.u8("option length") * 8 - 2;
      if (octets <= 0) return;
      const value = r.slice(octets, "option");
      if (octets < 6) continue;
      if (type === ADVERTISEMENT && option === TARGET_LINK_LAYER) this.learn(timeUs, target, value.subarray(0, 6));
      else if (type === SOLICITATION && option === SOURCE_LINK_LAYER && src !== "::")
        this.learn(timeUs, src, value.subarray(0, 6));
    }
  }

  private learn(timeUs: EpochUs, address: string, octets: Uint8Array): void {
    const mac = [...octets].map((o) => o.toString(16).padStart(2, "0")).join(":");
    const before = this.known.get(address);
    if (before?.mac === mac && timeUs - before.toldUs < AGAIN_US) return;
    if (before === undefined && this.known.size >= MOST_KNOWN) this.known.dropOldest();
    this.known.delete(address);
    this.known.set(address, { mac, toldUs: timeUs });
    const hasChanged = before !== undefined && before.mac !== mac;
    this.tell({
      what: "neighbour",
      timeUs,
      event: hasChanged ? "changed" : before === undefined ? "new" : "seen",
      outcome: "unknown",
      src: address,
      dst: null,
      srcPort: null,
      dstPort: null,
      protocol: null,
      addresses: [],
      values: [["mac", mac], ...(hasChanged ? [["mac before", before.mac] as const] : [])],
    });
  }
}
