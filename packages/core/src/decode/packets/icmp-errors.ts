import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { AgedMap } from "../../base/collections/index.js";
import { addressFromBytes } from "../../base/net/index.js";
import { type EpochUs, US_PER_MINUTE, US_PER_SECOND } from "../../base/time/index.js";
import { readIpHeader } from "../capture/index.js";
import type { Tell } from "./ends.js";

const ICMP = 1;
const ICMPV6 = 58;
const WITH_PORTS = new Set([6, 17, 33, 132]);
/** The same of the same is told once in a minute, with how often. */
const TOGETHER_US = US_PER_MINUTE;
const MOST_OPEN = 5_000;

/** Errors of ICMP (RFC 792, RFC 1122 section 3.2.2.1, RFC 1812 section 5.2.7.1) by type and code; null as code: whichever. */
const ERRORS_V4: readonly (readonly [type: number, code: number | null, name: string])[] = [
  [3, 0, "network unreachable"],
  [3, 1, "host unreachable"],
  [3, 2, "protocol unreachable"],
  [3, 3, "port unreachable"],
  [3, 4, "too big"],
  [3, 9, "prohibited"],
  [3, 10, "prohibited"],
  [3, 13, "prohibited"],
  [3, null, "unreachable"],
  [4, null, "source quench"],
  [5, null, "redirect"],
  [11, 1, "reassembly took too long"],
  [11, null, "too many hops"],
  [12, null, "bad header"],
];
/** RFC 4443 section 3, RFC 4861 section 4.5. */
const ERRORS_V6: readonly (readonly [type: number, code: number | null, name: string])[] = [
  [1, 0, "network unreachable"],
  [1, 1, "prohibited"],
  [1, 3, "host unreachable"],
  [1, 4, "port unreachable"],
  [1, null, "unreachable"],
  [2, null, "too big"],
  [3, 1, "reassembly took too long"],
  [3, null, "too many hops"],
  [4, null, "bad header"],
  [137, null, "redirect"],
];

interface Told {
  readonly timeUs: EpochUs;
  readonly event: string;
  readonly src: string;
  readonly dst: string;
  readonly protocol: number;
  readonly about: About | null;
  times: number;
}

/** The packet that an error is about. */
interface About {
  readonly src: string;
  readonly dst: string;
  readonly protocol: number;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
}

/** Errors that ICMP tells of, the same ones together. Bounded: of too many the oldest is told of at once. */
export class IcmpErrors {
  private readonly open = new AgedMap<string, Told>();
  private expiredUs: EpochUs = Number.NEGATIVE_INFINITY;

  constructor(private readonly tell: Tell) {}

  /** @param body the ICMP message, as far as it was captured @throws {DecodeError} when its first octets are not there */
  add(
    timeUs: EpochUs,
    packet: { readonly src: string; readonly dst: string; readonly protocol: number },
    body: Uint8Array,
  ): void {
    const r = new ByteReader(body);
    const type = r.u8("ICMP type");
    const code = r.u8("ICMP code");
    const errors = packet.protocol === ICMP ? ERRORS_V4 : packet.protocol === ICMPV6 ? ERRORS_V6 : [];
    const event = errors.find(([t, c]) => t === type && (c === null || c === code))?.[2];
    if (event === undefined) return;
    this.expire(timeUs);
    const about = aboutOf(r, packet.protocol === ICMP ? 4 : 6);
    const key = [packet.src, packet.dst, event, about?.src, about?.dst, about?.protocol, about?.dstPort].join(" ");
    const known = this.open.get(key);
    if (known !== undefined) {
      known.times++;
      return;
    }
    if (this.open.size >= MOST_OPEN) {
      const oldest = this.open.dropOldest();
      this.tellOf(oldest![1]);
    }
    const { src, dst, protocol } = packet;
    this.open.set(key, { timeUs, event, src, dst, protocol, about, times: 1 });
  }

  expire(nowUs: EpochUs): void {
    // the oldest are found only past those that are gone: not for every packet
    if (nowUs - this.expiredUs < US_PER_SECOND) return;
    this.expiredUs = nowUs;
    for (const [key, told] of this.open) {
      if (nowUs - told.timeUs < TOGETHER_US) break;
      this.open.delete(key);
      this.tellOf(told);
    }
  }

  end(): void {
    for (const told of this.open.values()) this.tellOf(told);
    this.open.clear();
  }

  private tellOf({ timeUs, event, src, dst, protocol, about, times }: Told): void {
    this.tell({
      what: "icmp",
      timeUs,
      event,
      outcome: "failure",
      src,
      dst,
      srcPort: null,
      dstPort: null,
      protocol,
      addresses: about === null ? [] : [about.src, about.dst].filter((a) => a !== src && a !== dst),
      values: [
        ...(about === null
          ? []
          : [
              ["source", about.src] as const,
              ["destination", about.dst] as const,
              ["carried", String(about.protocol)] as const,
              ...(about.dstPort === null ? [] : [["destination port", String(about.dstPort)] as const]),
            ]),
        ...(times > 1 ? [["times", String(times)] as const] : []),
      ],
    });
  }
}

/** The beginning of the packet that is sent back with an error (RFC 792: its header and 64 bits). @returns null when it is not there */
function aboutOf(r: ByteReader, version: 4 | 6): About | null {
  try {
    r.skip(6, "ICMP checksum and rest");
    const h = readIpHeader({ r, version, vlan: null });
    const hasPorts = WITH_PORTS.has(h.protocol) && h.r.left >= 4 && (h.fragment?.offset ?? 0) === 0;
    return {
      src: addressFromBytes(h.src),
      dst: addressFromBytes(h.dst),
      protocol: h.protocol,
      srcPort: hasPorts ? h.r.u16("port") : null,
      dstPort: hasPorts ? h.r.u16("port") : null,
    };
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    return null;
  }
}
