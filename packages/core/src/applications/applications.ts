import type { Network } from "../net/index.js";
import { networkContains } from "../net/index.js";

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

/** What traffic is, by ports: own names first, then the registry. */
export class Applications {
  constructor(
    private readonly own: readonly OwnApplication[],
    private readonly registry: ServiceRegistry,
  ) {}

  /** The application, or null when no name is known: the lower port is the service's. */
  name(e: Endpoints): string | null {
    for (const a of this.own) if (this.fits(a, e)) return a.name;
    const ports = [e.srcPort, e.dstPort].filter((p): p is number => p !== null).sort((a, b) => a - b);
    for (const port of ports) {
      const name = this.registered(e.protocol, port);
      if (name !== null) return name;
    }
    return null;
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

  private registered(protocol: number | null, port: number): string | null {
    const transport = protocol === null ? undefined : TRANSPORTS[protocol];
    // port 0 is reserved (RFC 6335 section 6) and is said where nothing was told
    if (transport === undefined || port === 0 || port >= FIRST_RANDOM_PORT) return null;
    const key = `${port}/${transport}`;
    return Object.hasOwn(this.registry, key) ? this.registry[key]![0] || null : null;
  }
}
