import * as z from "zod";
import { oneLine } from "../base/text/index.js";
import { parseFilter } from "../query/filter/index.js";

const Host = oneLine(255).regex(/^[A-Za-z0-9._:-]+$/, "expected a host name or an address");
const Port = z.int().min(1).max(65_535);
/** SHA-256 of the certificate that is expected; colons and blanks are taken out. */
const Fingerprint = z
  .string()
  .transform((s) => s.replace(/[:\s]/g, "").toLowerCase())
  .pipe(z.string().regex(/^[0-9a-f]{64}$/, "expected a SHA-256 fingerprint: 64 hexadecimal digits"));

/** Whose address the receiver of datagrams sees: this machine's, or that of whoever sent it to us. */
const Source = z.enum(["own", "sender"]).default("own");

/** How what is passed on goes there, in the form in which it came. */
export const ForwardWay = z.discriminatedUnion("is", [
  z.object({
    is: z.literal("syslog"),
    transport: z.enum(["udp", "tcp", "tls"]),
    host: Host,
    port: Port,
    /** Over a connection: octets counted (RFC 6587 section 3.4.1), or a line end after each. */
    framing: z.enum(["counted", "lines"]).default("counted"),
    /** `origin`: who sent it is added, as structured data of RFC 5424 section 7.2. */
    header: z.enum(["as it came", "origin"]).default("as it came"),
    certificate: Fingerprint.nullable().default(null),
    /** Of datagrams alone. */
    source: Source,
  }),
  z.object({ is: z.literal("snmp"), host: Host, port: Port, source: Source }),
  z.object({ is: z.literal("flow"), host: Host, port: Port, source: Source }),
  z.object({
    is: z.literal("json"),
    url: z.url({ protocol: /^https?$/ }).max(500),
    certificate: Fingerprint.nullable().default(null),
  }),
]);
export type ForwardWay = z.infer<typeof ForwardWay>;

/** What is passed on to another collector. */
export const Forward = z
  .object({
    name: oneLine(80).min(1, "a name is needed"),
    /** In the words of the filter language; empty: only what rules of arrival send there. */
    filter: oneLine(4_000).default(""),
    way: ForwardWay,
  })
  .check((check) => {
    const { filter, way } = check.value;
    if (way.is === "flow" && filter !== "" && !namesSendersAlone(filter))
      check.issues.push({
        code: "custom",
        path: ["filter"],
        input: filter,
        message: "datagrams of flows go whole, and with their templates: say which by sender alone",
      });
    if (way.is === "syslog" && way.transport !== "udp" && way.source === "sender")
      check.issues.push({
        code: "custom",
        path: ["way", "source"],
        input: way.source,
        message: "only datagrams can come from the sender's address: a connection needs answers",
      });
  });
export type Forward = z.infer<typeof Forward>;

/** Whether a filter asks for nothing but senders and the kind. */
function namesSendersAlone(text: string): boolean {
  const parsed = parseFilter(text, { zone: "UTC" });
  return parsed.ok && asksSenders(parsed.filter);
}

type Parsed = Extract<ReturnType<typeof parseFilter>, { ok: true }>["filter"];
function asksSenders(filter: Parsed): boolean {
  switch (filter.type) {
    case "everything":
      return true;
    case "and":
    case "or":
      return filter.items.every(asksSenders);
    case "not":
      return asksSenders(filter.item);
    case "compare":
      // every datagram of flows is one: “kind is flow” says all of them
      return filter.field === "sender" || filter.field === "kind";
    case "after":
      return false;
  }
}

/** Where it goes, said in short. */
export function sayWay(way: ForwardWay): string {
  switch (way.is) {
    case "syslog":
      return `syslog over ${way.transport.toUpperCase()} to ${way.host}:${way.port}`;
    case "snmp":
      return `SNMP to ${way.host}:${way.port}`;
    case "flow":
      return `flow datagrams to ${way.host}:${way.port}`;
    case "json":
      return `JSON lines to ${way.url}`;
  }
}
