import { type Applications, protocolName } from "../model/applications/index.js";
import { CODE_POINTS } from "../model/record/index.js";
import { quoteIfNeeded } from "../query/filter/index.js";
import { type Dimension, PACKET_SIZES, readApplication } from "./dimensions.js";

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
    case "as pair": {
      const [from, to] = value.split(" ");
      return named(`AS ${from} → AS ${to}`);
    }
  }
}

/** A filter for the flows a value stands for; null: no filter can tell them from others. */
export function filterOf(dimension: Dimension, value: string, said: Said): string | null {
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
    default:
      return null;
  }
}
