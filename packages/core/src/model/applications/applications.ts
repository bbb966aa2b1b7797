import type { Network } from "../../base/net/index.js";
import { networkContains } from "../../base/net/index.js";
import { type HalvikRecord, RECORD_KINDS, type RecordNames } from "../record/index.js";

/** A name a person gave to ports, a protocol or a network; it stands before the registry's. */
export interface OwnApplication {
  readonly name: string;
  readonly protocol: number | null;
  readonly lowPort: number | null;
  readonly highPort: number | null;
  readonly network: Network | null;
}

export interface Endpoints {
  readonly protocol: number | null;
  readonly src: string | null;
  readonly dst: string | null;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
}

const TRANSPORTS: Readonly<Record<number, string>> = { 6: "tcp", 17: "udp", 132: "sctp", 33: "dccp" };

/** Names of protocols without ports (IANA protocol numbers). */
const PROTOCOL_NAMES: Readonly<Record<number, string>> = {
  1: "ICMP",
  2: "IGMP",
  4: "IP in IP",
  6: "TCP",
  17: "UDP",
  41: "IPv6 in IP",
  47: "GRE",
  50: "ESP",
  51: "AH",
  58: "ICMPv6",
  89: "OSPF",
  103: "PIM",
  112: "VRRP",
  132: "SCTP",
};

export const protocolName = (protocol: number | null): string | null =>
  protocol === null ? null : (PROTOCOL_NAMES[protocol] ?? `protocol ${protocol}`);

/** The IANA registry of service names: `443/tcp` → its name and description. */
export type ServiceRegistry = Readonly<Record<string, readonly string[]>>;

/** Client ports are picked at random from here on: registered names up there mislead. */
const FIRST_RANDOM_PORT = 32_768;

/** How records whose application's name passes a test are told from others, by what is stored of them. */
export interface ApplicationsWhere {
  /** Own names in the order they are tried; the first that fits a record names it. */
  readonly own: readonly { readonly application: OwnApplication; readonly passes: boolean }[];
  /** By number of transport protocol: ports whose name passes, and those that have another name. */
  readonly ports: ReadonlyMap<number, { readonly passing: readonly number[]; readonly others: readonly number[] }>;
}

/** Bits that are free within the block that a name is of; more than any where it is of all addresses. */
const blockSize = ({ network }: OwnApplication): number =>
  network === null ? 129 : (network.family === 4 ? 32 : 128) - network.bits;
const ports = ({ lowPort, highPort }: OwnApplication): number =>
  lowPort === null ? 65_536 : (highPort ?? lowPort) - lowPort + 1;
const protocols = ({ protocol }: OwnApplication): number => (protocol === null ? 2 : 1);

/** What traffic is called: as its exporter says, else by own names, else by the registry of ports. */
export class Applications implements RecordNames {
  private readonly asked = new WeakMap<object, ApplicationsWhere>();
  private readonly registered: ReadonlyMap<number, ReadonlyMap<number, string>>;

  /** Own names, the narrowest first: whoever names one service within a range means it. Of like ones the first given. */
  readonly own: readonly OwnApplication[];

  constructor(own: readonly OwnApplication[], registry: ServiceRegistry) {
    this.own = [...own].sort(
      (a, b) => blockSize(a) - blockSize(b) || ports(a) - ports(b) || protocols(a) - protocols(b),
    );
    this.registered = byPort(registry);
  }

  application(r: HalvikRecord): string | null {
    return RECORD_KINDS[r.kind].hasTraffic ? (r.flow?.application ?? this.name(r)) : null;
  }

  /** The application of two ends, or null when no name is known: the lower port is the service's. */
  name(e: Endpoints): string | null {
    for (const a of this.own) if (this.fits(a, e)) return a.name;
    const names = this.registered.get(e.protocol ?? -1);
    if (names === undefined) return null;
    const low = Math.min(e.srcPort ?? Number.POSITIVE_INFINITY, e.dstPort ?? Number.POSITIVE_INFINITY);
    const high = Math.max(e.srcPort ?? -1, e.dstPort ?? -1);
    return names.get(low) ?? names.get(high) ?? null;
  }

  /** @param test what `passes` stands for: asked again, it is not put to thousands of names again */
  where(test: object, passes: (name: string) => boolean): ApplicationsWhere {
    const known = this.asked.get(test);
    if (known !== undefined) return known;
    const answer = this.putTo(passes);
    this.asked.set(test, answer);
    return answer;
  }

  private putTo(passes: (name: string) => boolean): ApplicationsWhere {
    const ports = new Map<number, { passing: number[]; others: number[] }>();
    const known = new Map<string, boolean>();
    for (const [protocol, names] of this.registered) {
      const of = { passing: [] as number[], others: [] as number[] };
      for (const [port, name] of names) {
        const verdict = known.get(name) ?? passes(name);
        known.set(name, verdict);
        of[verdict ? "passing" : "others"].push(port);
      }
      ports.set(protocol, of);
    }
    return { own: this.own.map((application) => ({ application, passes: passes(application.name) })), ports };
  }

  private fits(a: OwnApplication, e: Endpoints): boolean {
    if (a.protocol !== null && a.protocol !== e.protocol) return false;
    if (a.lowPort !== null) {
      const within = (port: number | null) => port !== null && port >= a.lowPort! && port <= (a.highPort ?? a.lowPort!);
      if (!within(e.srcPort) && !within(e.dstPort)) return false;
    }
    if (a.network === null) return a.protocol !== null || a.lowPort !== null;
    return [e.src, e.dst].some((address) => address !== null && networkContains(a.network!, address));
  }
}

/** Where nothing is known beyond what exporters say. */
export const NO_APPLICATIONS = new Applications([], {});

const PROTOCOL_OF: ReadonlyMap<string, number> = new Map(
  Object.entries(TRANSPORTS).map(([number, transport]) => [transport, Number(number)]),
);

/** Names of the registry that are believed, by protocol and port. */
function byPort(registry: ServiceRegistry): Map<number, Map<number, string>> {
  const out = new Map<number, Map<number, string>>();
  for (const key in registry) {
    const slash = key.indexOf("/");
    const protocol = PROTOCOL_OF.get(key.slice(slash + 1));
    const port = Number(key.slice(0, slash));
    const name = registry[key]![0];
    // port 0 is reserved (RFC 6335 section 6) and is said where nothing was told
    if (protocol === undefined || !name || !(port > 0 && port < FIRST_RANDOM_PORT)) continue;
    const names = out.get(protocol);
    if (names === undefined) out.set(protocol, new Map([[port, name]]));
    else names.set(port, name);
  }
  return out;
}
