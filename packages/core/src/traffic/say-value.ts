import { type Network, networkContains } from "../base/net/index.js";
import { type Applications, protocolName } from "../model/applications/index.js";
import { CODE_POINTS } from "../model/record/index.js";
import { quoteIfNeeded } from "../query/filter/index.js";
import { type Dimension, PACKET_SIZES, readApplication } from "./dimensions.js";
import { readSitePair, type SitesKnown } from "./sites.js";

/** Names of code points: of several for one value the first stands, `be` for 0 is how people say it. */
const CODE_POINT_NAMES = new Map<number, string>();
for (const [name, value] of Object.entries(CODE_POINTS))
  if (!CODE_POINT_NAMES.has(value)) CODE_POINT_NAMES.set(value, name);
const CODE_POINT_WORDS: Readonly<Record<string, string>> = {
  be: "best effort",
  le: "lower effort",
  ef: "expedited",
  va: "voice admit",
};

/** TCP control bits, lowest first (RFC 9293 section 3.1). */
const TCP_FLAGS = ["FIN", "SYN", "RST", "PSH", "ACK", "URG", "ECE", "CWR"] as const;

/** What a value is called, and whether that is no more than its numbers. */
export interface Said {
  readonly label: string;
  readonly isUnnamed: boolean;
}

const named = (label: string): Said => ({ label, isUnnamed: false });

function sayPort(protocol: number, port: number, applications: Applications, server: string | null): Said {
  const name = applications.name({ protocol, src: server, dst: null, srcPort: port < 0 ? null : port, dstPort: null });
  if (name !== null) return named(name);
  const of = protocolName(protocol < 0 ? null : protocol)?.toLowerCase() ?? "no protocol";
  return port <= 0 ? named(of) : { label: `unnamed ${of} ${port}`, isUnnamed: true };
}

/** A kept value of a dimension, as people read it. */
export function sayValue(dimension: Dimension, value: string, applications: Applications): Said {
  switch (dimension) {
    case "total":
      return named("everything");
    case "application": {
      const read = readApplication(value);
      return "said" in read ? named(read.said) : sayPort(read.protocol, read.port, applications, null);
    }
    case "protocol":
      return named(protocolName(Number(value))?.toLowerCase() ?? `protocol ${value}`);
    case "dscp": {
      const name = CODE_POINT_NAMES.get(Number(value));
      return named(name === undefined ? value : `${value} ${CODE_POINT_WORDS[name] ?? name}`);
    }
    case "source":
    case "destination":
      return named(value === "?" ? "no address" : value);
    case "pair": {
      const [from, to] = value.split(" ");
      return named(`${from} → ${to}`);
    }
    case "service": {
      const [server, protocol, port] = value.split(" ");
      const said = sayPort(Number(protocol), Number(port), applications, server ?? null);
      return {
        label:
          Number(port) <= 0
            ? `${server} ${said.label}`
            : `${server} :${port} ${said.isUnnamed ? "" : said.label}`.trim(),
        isUnnamed: said.isUnnamed,
      };
    }
    case "tcp flags": {
      const bits = Number(value);
      return named(TCP_FLAGS.filter((_, i) => bits & (1 << i)).join(" ") || "none");
    }
    case "packet size": {
      const most = Number(value);
      return named(
        Number.isFinite(most) ? `up to ${most} octets` : `over ${PACKET_SIZES[PACKET_SIZES.length - 1]} octets`,
      );
    }
    case "ip version":
      return named(`IPv${value}`);
    case "site pair": {
      const [from, to] = readSitePair(value);
      return named(`${from || "elsewhere"} → ${to || "elsewhere"}`);
    }
    case "as pair": {
      const [from, to] = value.split(" ");
      return named(`AS ${from} → AS ${to}`);
    }
  }
}

/** Blocks that a filter names at most. */
const MOST_NETWORKS = 40;

/** One end at a site, or at none; null: smaller blocks of other sites lie in its own, which no filter of them says. */
function endAt(end: "src" | "dst", site: string, networks: SitesKnown["networks"]): string | null {
  const own = networks.filter((n) => n.site === site);
  const others = networks.filter((n) => n.site !== site);
  const blocks = (of: SitesKnown["networks"]) => of.map(({ network }) => `${network.first}/${network.bits}`).join(", ");
  if (site === "") return others.length === 0 ? null : `not ${end} within ${blocks(others)}`;
  const holds = (a: Network, b: Network) => a.bits < b.bits && networkContains(a, b.first);
  if (own.length === 0 || own.some((o) => others.some((n) => holds(o.network, n.network)))) return null;
  return `${end} within ${blocks(own)}`;
}

/** A filter for the flows a value stands for; null: no filter can tell them from others. */
export function filterOf(
  dimension: Dimension,
  value: string,
  said: Said,
  networks: SitesKnown["networks"] = [],
): string | null {
  switch (dimension) {
    case "application": {
      if (!said.isUnnamed) {
        const read = readApplication(value);
        if ("said" in read || read.port > 0) return `application is ${quoteIfNeeded(said.label)}`;
        return read.protocol < 0 ? null : `protocol is ${read.protocol}`;
      }
      const { protocol, port } = readApplication(value) as { protocol: number; port: number };
      return `protocol is ${protocol} and port is ${port}`;
    }
    case "protocol":
      return `protocol is ${value}`;
    case "dscp":
      return `dscp is ${value}`;
    case "source":
      return value === "?" ? null : `src is ${value}`;
    case "destination":
      return value === "?" ? null : `dst is ${value}`;
    case "pair": {
      const [from, to] = value.split(" ");
      return from === "?" || to === "?" ? null : `src is ${from} and dst is ${to}`;
    }
    case "service": {
      const [server, protocol, port] = value.split(" ");
      if (server === "?") return null;
      return Number(port) < 0
        ? `address is ${server} and protocol is ${protocol}`
        : `address is ${server} and protocol is ${protocol} and port is ${port}`;
    }
    case "tcp flags":
      return `tcp flags is ${value}`;
    case "ip version":
      return `src within ${value === "6" ? "::/0" : "0.0.0.0/0"}`;
    case "as pair": {
      const [from, to] = value.split(" ");
      return `src as is ${from} and dst as is ${to}`;
    }
    case "site pair": {
      const [from, to] = readSitePair(value);
      if (networks.length > MOST_NETWORKS) return null;
      const [src, dst] = [endAt("src", from, networks), endAt("dst", to, networks)];
      return src === null || dst === null ? null : `${src} and ${dst}`;
    }
    default:
      return null;
  }
}
