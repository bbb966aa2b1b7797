/** What octets probably are, and by which way such are heard. */
export interface Likeness {
  readonly what: string;
  /** The kind of endpoint that reads it; null: none does. */
  readonly way: "syslog-udp" | "syslog-tcp" | "syslog-tls" | "snmp" | "flow" | "https" | null;
  /** A text that may well be a line of a log, whatever it is written in. */
  readonly isLine: boolean;
}

const is = (what: string, way: Likeness["way"]): Likeness => ({ what, way, isLine: false });
const line = (what: string, way: Likeness["way"]): Likeness => ({ what, way, isLine: true });

/**
 * What the first octets of a message say it is: for somebody who has sent it to the wrong door. RFC 5424 section 6.2.1 (PRI), RFC 3416 (an SNMP message is a
 * SEQUENCE that begins with its version), RFC 3954, RFC 7011 section 3.1, sFlow version 5, RFC 8446 section 5.1, RFC 9112, RFC 1952 section 2.3.1.
 * @returns null: nothing that is known
 */
export function looksLike(bytes: Uint8Array): Likeness | null {
  const head = String.fromCharCode(...bytes.subarray(0, 64));
  const [a = -1, b = -1, c = -1, d = -1] = bytes;
  if (/^\s*<\d{1,3}>/.test(head)) return line("syslog", "syslog-udp");
  if (/^\d{1,6} <\d{1,3}>/.test(head)) return line("syslog with counted octets", "syslog-tcp");
  if (a === 0x16 && b === 3) return is("the beginning of a TLS connection", "syslog-tls");
  if (/^(?:GET|POST|PUT|HEAD|OPTIONS) \S* HTTP/.test(head)) return is("HTTP", "https");
  if (a === 0x1f && b === 0x8b) return is("something packed with gzip", "https");
  if (/^\s*<(?:\?xml|Event)/.test(head)) return line("XML, such as events of Windows", "https");
  if (/^\s*[{[]\s*["{[]/.test(head)) return line("JSON", "https");
  if (a === 0 && [5, 9, 10].includes(b)) return is(b === 10 ? "IPFIX" : `NetFlow version ${b}`, "flow");
  if (a === 0 && b === 0 && c === 0 && d === 5) return is("sFlow", "flow");
  if (a === 0 && [1, 6, 7, 8].includes(b)) return is(`NetFlow version ${b}, which is not read`, null);
  if (a === 0x30 && /\x02\x01[\x00\x01\x03]/.test(head.slice(1, 8))) return is("SNMP", "snmp");
  if (/^[\x20-\x7e\t]{16,}/.test(head)) return line("plain text", "syslog-udp");
  return null;
}

/** Ways by which nothing is heard, and what to set instead (the ways by their own standards; what to set: common practice, no source). */
export const NOT_HEARD: readonly { readonly what: string; readonly instead: string }[] = [
  { what: "syslog over DTLS (RFC 6012)", instead: "syslog over TLS (RFC 5425), or over UDP" },
  {
    what: "syslog with a protocol of acknowledgements of its own",
    instead: "syslog over TLS; the daemon keeps a queue on disk",
  },
  {
    what: "SNMP over TCP, TLS or DTLS (RFC 3430, 6353)",
    instead: "SNMP over UDP: version 3 with authPriv, as an inform",
  },
  {
    what: "IPFIX over SCTP, TCP or TLS (RFC 7011 section 10)",
    instead: "IPFIX over UDP, with templates sent again each minute",
  },
  { what: "NetFlow version 1, 7, 8", instead: "NetFlow 9 or IPFIX, or version 5" },
  {
    what: "Windows Event Forwarding to Halvik itself",
    instead: "the script on each computer, by a policy of the domain",
  },
  {
    what: "message queues and streams of telemetry",
    instead: "JSON to the HTTPS endpoint by whatever reads the queue",
  },
];
