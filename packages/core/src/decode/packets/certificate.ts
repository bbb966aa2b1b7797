import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { cutText } from "../../base/text/index.js";
import { expectTlv, readOid, readTlv } from "../snmp/index.js";

/** What a certificate says of itself (RFC 5280 section 4.1). Nothing of it is checked. */
export interface CertificateFacts {
  readonly subject: string;
  readonly issuer: string;
  /** RFC 3339. */
  readonly validFrom: string;
  readonly validTo: string;
}

const SEQUENCE = 0x30;
const SET = 0x31;
const INTEGER = 0x02;
const VERSION = 0xa0;
const UTC_TIME = 0x17;
/** Parts of a name that are shown (RFC 4514 section 3). */
const PARTS: Readonly<Record<string, string>> = {
  "2.5.4.3": "CN",
  "2.5.4.6": "C",
  "2.5.4.7": "L",
  "2.5.4.8": "ST",
  "2.5.4.9": "STREET",
  "2.5.4.10": "O",
  "2.5.4.11": "OU",
  "0.9.2342.19200300.100.1.1": "UID",
  "0.9.2342.19200300.100.1.25": "DC",
};
const MOST_NAME = 300;

/** @throws {DecodeError} when the bytes are no certificate in DER */
export function readCertificate(der: Uint8Array): CertificateFacts {
  const certificate = expectTlv(new ByteReader(der), SEQUENCE, "certificate");
  const body = expectTlv(certificate, SEQUENCE, "certificate: what is signed");
  const first = readTlv(body, "certificate: version");
  if (first.tag === VERSION) expectTlv(body, INTEGER, "certificate: serial number");
  expectTlv(body, SEQUENCE, "certificate: signature");
  const issuer = readName(expectTlv(body, SEQUENCE, "certificate: issuer"));
  const validity = expectTlv(body, SEQUENCE, "certificate: validity");
  const validFrom = readTime(validity);
  const validTo = readTime(validity);
  return { issuer, validFrom, validTo, subject: readName(expectTlv(body, SEQUENCE, "certificate: subject")) };
}

/** The parts that people read, as RFC 4514 writes them but in the order they stand. */
function readName(name: ByteReader): string {
  const parts: string[] = [];
  while (name.left > 0) {
    const set = expectTlv(name, SET, "certificate: name");
    const together: string[] = [];
    while (set.left > 0) {
      const pair = expectTlv(set, SEQUENCE, "certificate: name");
      const type = PARTS[readOid(expectTlv(pair, 0x06, "certificate: kind of name"), "certificate: kind of name")];
      const { tag, body } = readTlv(pair, "certificate: name");
      const octets = body.slice(body.left, "certificate: name");
      if (type !== undefined) together.push(`${type}=${escaped(nameText(tag, octets))}`);
    }
    if (together.length > 0) parts.push(together.join("+"));
  }
  return cutText(parts.join(", "), MOST_NAME);
}

/** BMPString has two octets a character, the others are read as UTF-8 (RFC 5280 section 4.1.2.4). */
const nameText = (tag: number, octets: Uint8Array): string =>
  tag === 0x1e
    ? Array.from({ length: octets.length >> 1 }, (_, i) =>
        String.fromCharCode((octets[2 * i]! << 8) | octets[2 * i + 1]!),
      ).join("")
    : new TextDecoder().decode(octets);

/** What would end a part or begin another one is marked (RFC 4514 section 2.4): nobody is called by a name within his own. */
const escaped = (text: string): string =>
  text
    .replace(/["+,;<>\\]/g, "\\$&")
    .replaceAll("\0", "\\00")
    .replace(/^[ #]| $/g, "\\$&");

/** RFC 5280 section 4.1.2.5: two digits of the year before 2050, four after. */
function readTime(r: ByteReader): string {
  const { tag, body } = readTlv(r, "certificate: time");
  const at = body.offset;
  const text = new TextDecoder("latin1").decode(body.slice(body.left, "certificate: time"));
  const long = tag === UTC_TIME ? `${Number(text.slice(0, 2)) < 50 ? "20" : "19"}${text}` : text;
  const found = /^(\d{4})(\d\d)(\d\d)(\d\d)(\d\d)(\d\d)Z$/.exec(long);
  if (found === null)
    throw new DecodeError("BAD_TIMESTAMP", at, `certificate: expected a time, got "${text.slice(0, 20)}"`);
  const [, year, month, day, hour, minute, second] = found;
  return `${year}-${month}-${day}T${hour}:${minute}:${second}Z`;
}
