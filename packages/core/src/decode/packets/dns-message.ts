import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { addressFromBytes } from "../../base/net/index.js";

export interface DnsAnswer {
  readonly type: string;
  /** An address, a name, or what else the type holds; the type alone where it is not read. */
  readonly value: string;
}

/** A message of DNS (RFC 1035 section 4): its first question, and of its answers the first twenty. */
export interface DnsMessage {
  readonly id: number;
  readonly isResponse: boolean;
  /** It is an ordinary question or the answer to one (opcode 0). */
  readonly isQuery: boolean;
  readonly isCut: boolean;
  readonly code: string;
  readonly question: { readonly name: string; readonly type: string } | null;
  readonly answers: readonly DnsAnswer[];
}

/** IANA, Domain Name System (DNS) Parameters: resource record types in common use. */
const TYPES: Readonly<Record<number, string>> = {
  1: "A",
  2: "NS",
  5: "CNAME",
  6: "SOA",
  12: "PTR",
  15: "MX",
  16: "TXT",
  28: "AAAA",
  33: "SRV",
  35: "NAPTR",
  39: "DNAME",
  41: "OPT",
  43: "DS",
  46: "RRSIG",
  47: "NSEC",
  48: "DNSKEY",
  52: "TLSA",
  64: "SVCB",
  65: "HTTPS",
  251: "IXFR",
  252: "AXFR",
  255: "ANY",
  257: "CAA",
};
/** A type without a name, as RFC 3597 section 5 writes it. */
const typeName = (type: number): string => TYPES[type] ?? `TYPE${type}`;

/** RFC 1035 section 4.1.1, RFC 2136 section 2.2. */
const CODES = [
  "NOERROR",
  "FORMERR",
  "SERVFAIL",
  "NXDOMAIN",
  "NOTIMP",
  "REFUSED",
  "YXDOMAIN",
  "YXRRSET",
  "NXRRSET",
  "NOTAUTH",
  "NOTZONE",
] as const;

const MOST_ANSWERS = 20;
const MOST_TEXT = 255;
/** RFC 1035 section 3.1: a name has at most 255 octets; each hop of a pointer goes back at least two. */
const MOST_NAME = 255;
const MOST_HOPS = 128;

/** @throws {DecodeError} when it is no message of DNS or ends inside its question */
export function readDns(bytes: Uint8Array): DnsMessage {
  const r = new ByteReader(bytes);
  const id = r.u16("DNS id");
  const flags = r.u16("DNS flags");
  const questions = r.u16("DNS questions");
  const answerCount = r.u16("DNS answers");
  r.skip(4, "DNS counts");
  if (questions > 1 || (flags & 0x0040) !== 0)
    throw new DecodeError("BAD_VALUE", 4, `DNS: expected one question, got ${questions}`);
  let question: DnsMessage["question"] = null;
  if (questions === 1) {
    const name = readName(r, bytes);
    question = { name, type: typeName(r.u16("DNS question type")) };
    r.skip(2, "DNS question class");
  }
  return {
    id,
    isResponse: (flags & 0x8000) !== 0,
    isQuery: (flags & 0x7800) === 0,
    isCut: (flags & 0x0200) !== 0,
    code: CODES[flags & 15] ?? `code ${flags & 15}`,
    question,
    answers: readAnswers(r, bytes, Math.min(answerCount, MOST_ANSWERS)),
  };
}

/** Answers as far as they are there: of a message that was cut, the first ones. */
function readAnswers(r: ByteReader, bytes: Uint8Array, count: number): DnsAnswer[] {
  const out: DnsAnswer[] = [];
  try {
    for (let i = 0; i < count; i++) {
      readName(r, bytes);
      const type = typeName(r.u16("DNS answer type"));
      r.skip(6, "DNS answer class and time");
      const length = r.u16("DNS answer length");
      out.push({ type, value: readValue(type, r.sub(length, "DNS answer"), bytes) });
    }
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
  }
  return out;
}

function readValue(type: string, r: ByteReader, bytes: Uint8Array): string {
  switch (type) {
    case "A":
      return addressFromBytes(r.slice(4, "DNS address"));
    case "AAAA":
      return addressFromBytes(r.slice(16, "DNS address"));
    case "CNAME":
    case "DNAME":
    case "NS":
    case "PTR":
      return readName(r, bytes);
    case "MX":
      return `${r.u16("DNS preference")} ${readName(r, bytes)}`;
    case "SRV": {
      const [priority, weight, port] = [r.u16("DNS priority"), r.u16("DNS weight"), r.u16("DNS port")];
      return `${priority} ${weight} ${port} ${readName(r, bytes)}`;
    }
    case "TXT":
      return plainText(r.slice(r.u8("DNS text length"), "DNS text")).slice(0, MOST_TEXT);
    default:
      return type;
  }
}

/** A name in dots and small letters, without the last dot (RFC 1035 sections 3.1 and 4.1.4; RFC 4343: case says nothing). The root is ".". */
function readName(r: ByteReader, bytes: Uint8Array): string {
  let text = "";
  let octets = 0;
  let reader = r;
  for (let hops = 0; ; ) {
    const at = reader.offset;
    const length = reader.u8("DNS name");
    if (length === 0) return text === "" ? "." : text;
    if (length >= 0xc0) {
      const to = ((length & 0x3f) << 8) | reader.u8("DNS name pointer");
      if (to >= at || ++hops > MOST_HOPS)
        throw new DecodeError("BAD_VALUE", at, "DNS name: expected a pointer to what came before");
      reader = new ByteReader(bytes.subarray(to), false, to);
      continue;
    }
    if (length > 63) throw new DecodeError("BAD_LENGTH", at, `DNS label: expected at most 63 octets, got ${length}`);
    octets += length + 1;
    if (octets > MOST_NAME) throw new DecodeError("TOO_LONG", at, "DNS name: expected at most 255 octets");
    const label = labelText(reader.slice(length, "DNS label"));
    text += text === "" ? label : `.${label}`;
  }
}

/** A dot inside a label is not one between labels: another name must not look like this one (RFC 1035 section 5.1). */
function labelText(octets: Uint8Array): string {
  let text = "";
  for (const octet of octets)
    text += octet === 46 || octet === 92 ? `\\${String.fromCharCode(octet)}` : plainText([octet]);
  return text.toLowerCase();
}

/** Octets as text; what is no plain letter as RFC 1035 section 5.1 writes it. */
function plainText(octets: Iterable<number>): string {
  let text = "";
  for (const octet of octets)
    text +=
      octet > 32 && octet < 127
        ? String.fromCharCode(octet)
        : octet === 32
          ? " "
          : `\\${String(octet).padStart(3, "0")}`;
  return text;
}
