import { X509Certificate } from "node:crypto";
import fc from "fast-check";
import { DecodeError } from "../../base/bytes/index.js";
import { tlv } from "../snmp/ber-writer.js";
import { integer, oid, sequence } from "../snmp/index.js";
import { readCertificate } from "./certificate.js";

/** RFC 8410 section 10.2, byte for byte: the key of its section 10.1 verifies it. */
const RFC_8410 = Buffer.from(
  `MIIBLDCB36ADAgECAghWAUdKKo3DMDAFBgMrZXAwGTEXMBUGA1UEAwwOSUVURiBUZX
N0IERlbW8wHhcNMTYwODAxMTIxOTI0WhcNNDAxMjMxMjM1OTU5WjAZMRcwFQYDVQQD
DA5JRVRGIFRlc3QgRGVtbzAqMAUGAytlbgMhAIUg8AmJMKdUdIt93LQ+91oNvzoNJj
ga9OukqY6qm05qo0UwQzAPBgNVHRMBAf8EBTADAQEAMA4GA1UdDwEBAAQEAwIDCDAg
BgNVHQ4BAQAEFgQUmx9e7e0EM4Xk97xiPFl1uQvIuzswBQYDK2VwA0EAryMB/t3J5v
/BzKc9dNZIpDmAgs3babFOTQbs+BolzlDUwsPrdGxO3YNGhW7Ibz3OGhhlxXrCe1Cg
w1AH9efZBw==`,
  "base64",
);

const UTF8 = 0x0c;
const PRINTABLE = 0x13;
const BMP = 0x1e;
const UTC = 0x17;
const GENERALIZED = 0x18;
const CN = "2.5.4.3";
const DC = "0.9.2342.19200300.100.1.25";

const utf8 = (text: string) => new TextEncoder().encode(text);
type Part = readonly [type: string, text: string | Uint8Array, tag?: number];
/** A name of sets, each of parts that stand together. */
const name = (...sets: readonly (readonly Part[])[]) =>
  sequence(
    ...sets.map((parts) =>
      tlv(
        0x31,
        ...parts.map(([type, text, tag = UTF8]) =>
          sequence(oid(type), tlv(tag, typeof text === "string" ? utf8(text) : text)),
        ),
      ),
    ),
  );

interface Made {
  readonly issuer?: Uint8Array;
  readonly subject?: Uint8Array;
  readonly from?: Uint8Array;
  readonly to?: Uint8Array;
  readonly version?: boolean;
}

const JAN = tlv(UTC, utf8("260101000000Z"));
/** The parts of a certificate that are read, unsigned. */
const certificate = ({ issuer = name(), subject = name(), from = JAN, to = JAN, version = true }: Made) =>
  sequence(
    sequence(
      ...(version ? [tlv(0xa0, integer(2))] : []),
      integer(7),
      sequence(oid("1.3.101.112")),
      issuer,
      sequence(from, to),
      subject,
    ),
  );

test("the example of RFC 8410 section 10.2 says what an independent reader finds in it", () => {
  const theirs = new X509Certificate(RFC_8410);
  const ours = readCertificate(RFC_8410);
  expect(ours).toEqual({
    subject: theirs.subject,
    issuer: theirs.issuer,
    validFrom: "2016-08-01T12:19:24Z",
    validTo: "2040-12-31T23:59:59Z",
  });
  expect(Date.parse(ours.validFrom)).toBe(Date.parse(theirs.validFrom));
  expect(Date.parse(ours.validTo)).toBe(Date.parse(theirs.validTo));
});

/** The examples of RFC 4514 section 4, in the order in which the parts stand in the certificate. */
test.each([
  ["domain parts", name([[DC, "net"]], [[DC, "example"]]), "DC=net, DC=example"],
  [
    "parts that stand together",
    name([
      ["2.5.4.11", "Sales"],
      [CN, "J.  Smith"],
    ]),
    "OU=Sales+CN=J.  Smith",
  ],
  ["quotes and a comma", name([[CN, 'James "Jim" Smith, III']]), 'CN=James \\"Jim\\" Smith\\, III'],
  ["letters of another script", name([[CN, "Lučić"]]), "CN=Lučić"],
])("names: %s (RFC 4514 section 4)", (_what, subject, said) => {
  expect(readCertificate(certificate({ subject })).subject).toBe(said);
});

test.each([
  ["a name within a name", [[CN, "a, CN=bank.example"]], "CN=a\\, CN=bank.example"],
  ["blanks and a hash at the ends", [[CN, " a #b "]], "CN=\\ a #b\\ "],
  ["a hash at the beginning", [[CN, "#04024869"]], "CN=\\#04024869"],
  ["a backslash", [[CN, "a\\b"]], "CN=a\\\\b"],
  ["nothing at all", [[CN, ""]], "CN="],
  ["U+0000, which ends a name for some", [[CN, "good.example\0.evil.example"]], "CN=good.example\\00.evil.example"],
  ["two octets a character (BMPString)", [[CN, Uint8Array.of(0x00, 0x48, 0x01, 0x0d), BMP]], "CN=Hč"],
  ["half a character at its end", [[CN, Uint8Array.of(0x00, 0x48, 0x01), BMP]], "CN=H"],
  ["a printable string", [[CN, "vpn-1", PRINTABLE]], "CN=vpn-1"],
  ["a kind of name that nobody reads", [["2.5.4.5", "12"]], ""],
] as [string, Part[], string][])("names: %s", (_what, parts, said) => {
  expect(readCertificate(certificate({ issuer: name(parts) })).issuer).toBe(said);
});

test("a name without end is cut", () => {
  const subject = name(...Array.from({ length: 50 }, (_, i) => [[CN, `host-${i}.orvane.example`]] as const));
  expect(readCertificate(certificate({ subject })).subject).toHaveLength(300);
});

/** RFC 5280 sections 4.1.2.5.1 and 4.1.2.5.2. */
test.each([
  ["49 is 2049", UTC, "491231235959Z", "2049-12-31T23:59:59Z"],
  ["50 is 1950", UTC, "500101000000Z", "1950-01-01T00:00:00Z"],
  ["four digits from 2050 on", GENERALIZED, "20500101000000Z", "2050-01-01T00:00:00Z"],
  ["one that never ends (section 4.1.2.5)", GENERALIZED, "99991231235959Z", "9999-12-31T23:59:59Z"],
])("times: %s", (_what, tag, text, said) => {
  expect(readCertificate(certificate({ to: tlv(tag, utf8(text)) })).validTo).toBe(said);
});

test.each([
  ["without seconds", UTC, "4912312359Z"],
  ["with an offset", UTC, "491231235959+0100"],
  ["a fraction", GENERALIZED, "20500101000000.5Z"],
  ["words", GENERALIZED, "tomorrow"],
])("times: %s is none (RFC 5280 section 4.1.2.5)", (_what, tag, text) => {
  expect(() => readCertificate(certificate({ from: tlv(tag, utf8(text)) }))).toThrow(/expected a time, got/);
});

test("the first version says no version (RFC 5280 section 4.1.2.1)", () => {
  expect(readCertificate(certificate({ version: false, subject: name([[CN, "old"]]) })).subject).toBe("CN=old");
});

test("whatever comes instead is refused and never more than that", () => {
  fc.assert(
    fc.property(fc.nat(RFC_8410.length - 1), fc.integer({ min: 0, max: 255 }), fc.nat(3), (at, octet, cut) => {
      const bytes = Uint8Array.from(RFC_8410);
      bytes[at] = octet;
      try {
        const { subject, issuer } = readCertificate(bytes.slice(0, bytes.length - cut * 40));
        expect(subject.length + issuer.length).toBeLessThanOrEqual(600);
      } catch (e) {
        expect(e).toBeInstanceOf(DecodeError);
      }
    }),
    { numRuns: 2_000 },
  );
});
