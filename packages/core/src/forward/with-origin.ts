/** RFC 5424 section 6.3.3: three characters of a value are escaped. */
const escaped = (value: string): string => value.replace(/[\\"\]]/g, (c) => `\\${c}`);
/** PRINTUSASCII without what ends a name, 255 at most (section 6.2.4). */
const headerName = (name: string): string => name.replace(/[^!-~]/g, "").slice(0, 255) || "-";

const PRI = /^<(\d{1,3})>/;
/** Up to the structured data of RFC 5424: version, time, host, application, process, message id. */
const HEADER = /^<\d{1,3}>1 \S+ \S+ \S+ \S+ \S+ /;
const USER_NOTICE = 13;
/** A header is no longer (its parts by RFC 5424 section 6), and structured data begins behind it. */
const MOST_HEADER = 2_048;

/** Who sent a message, for a receiver that sees only who passed it on. */
export interface Origin {
  readonly address: string;
  /** As it is called here. */
  readonly name: string;
  /** In UTC, as RFC 5424 section 6.2.3 writes it. */
  readonly received: string;
}

/**
 * A syslog message with who sent it as structured data `origin` (RFC 5424 section 7.2). A message of RFC 5424 gets one more element; any other one gets a header
 * around it and stays whole behind that.
 */
export function withOrigin(message: Uint8Array, { address, name, received }: Origin): Uint8Array {
  // octet by octet: what follows the header may be of any encoding
  const text = String.fromCharCode(...message.subarray(0, MOST_HEADER));
  const header = HEADER.exec(text)?.[0];
  const element = `[origin ip="${escaped(address)}"]`;
  if (header !== undefined) {
    const rest = text.slice(header.length);
    if (hasOrigin(rest)) return message;
    if (rest.startsWith("-")) return joined(header + element, message.subarray(header.length + 1));
    if (rest.startsWith("[")) return joined(header + element, message.subarray(header.length));
  }
  const pri = Number(PRI.exec(text)?.[1] ?? USER_NOTICE);
  return joined(`<${pri > 191 ? USER_NOTICE : pri}>1 ${received} ${headerName(name)} - - - ${element} `, message);
}

function joined(head: string, rest: Uint8Array): Uint8Array {
  const out = new Uint8Array(head.length + rest.length);
  for (let i = 0; i < head.length; i++) out[i] = head.charCodeAt(i);
  out.set(rest, head.length);
  return out;
}

/** Somebody before us said it already. */
const hasOrigin = (rest: string): boolean => rest.startsWith("[") && /^(?:\[[^\]]*\])*\[origin /.test(rest);
