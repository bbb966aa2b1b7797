import { type Passage, UNKNOWN_ADDRESS } from "./passage.js";
import { NO_SITES, type Sites, sitePair } from "./sites.js";

/**
 * By what traffic is told apart. The order is stored: it only grows. `text` of a value is how it is kept; one word each but for pairs, whose two
 * ends stand in it.
 */
export const DIMENSIONS = [
  "total",
  "application",
  "dscp",
  "source",
  "destination",
  "pair",
  "service",
  "tcp flags",
  "packet size",
  "as pair",
  "ip version",
  "site pair",
  "protocol",
] as const;
export type Dimension = (typeof DIMENSIONS)[number];

/** Those whose values are open to whoever sends: of each step only the greatest are kept. */
export const BOUNDED: ReadonlySet<Dimension> = new Set([
  "application",
  "source",
  "destination",
  "pair",
  "service",
  "tcp flags",
  "as pair",
  "site pair",
]);

/** Upper ends of the classes of mean packet size in octets (common practice, no source; 1518 is the longest untagged Ethernet frame). */
export const PACKET_SIZES = [64, 128, 256, 512, 1_024, 1_518] as const;

/** An application that the exporter named itself. */
const SAID = "said ";
const MOST_NAME = 120;

const sizeOf = ({ bytes, packets }: Passage): string => {
  const mean = packets > 0 ? bytes / packets : 0;
  return String(PACKET_SIZES.find((most) => mean <= most) ?? Number.POSITIVE_INFINITY);
};

/** The value of a passage in a dimension; null: it has none. The total has one value, without a name. */
export function valueIn(dimension: Dimension, p: Passage, sites: Sites = NO_SITES): string | null {
  switch (dimension) {
    case "total":
      return "";
    case "application":
      return p.application === null
        ? `${p.protocol} ${p.servicePort}`
        : SAID + p.application.slice(0, MOST_NAME).toWellFormed();
    case "protocol":
      return p.protocol < 0 ? null : String(p.protocol);
    case "dscp":
      return p.dscp === null ? null : String(p.dscp);
    case "source":
      return p.src;
    case "destination":
      return p.dst;
    case "pair":
      return p.pair;
    case "service":
      return `${p.server} ${p.protocol} ${p.servicePort}`;
    case "tcp flags":
      return p.tcpFlags === null ? null : String(p.tcpFlags);
    case "packet size":
      return p.packets === 0 ? null : sizeOf(p);
    case "as pair":
      return p.srcAs === null && p.dstAs === null ? null : `${p.srcAs ?? 0} ${p.dstAs ?? 0}`;
    case "ip version":
      return p.src === UNKNOWN_ADDRESS ? null : p.src.includes(":") ? "6" : "4";
    case "site pair":
      return p.src === UNKNOWN_ADDRESS || p.dst === UNKNOWN_ADDRESS ? null : sitePair(p.src, p.dst, sites);
  }
}

/** What a kept value of the dimension `application` says. */
export function readApplication(
  value: string,
): { readonly said: string } | { readonly protocol: number; readonly port: number } {
  if (value.startsWith(SAID)) return { said: value.slice(SAID.length) };
  const [protocol, port] = value.split(" ").map(Number);
  return { protocol: protocol ?? -1, port: port ?? -1 };
}
