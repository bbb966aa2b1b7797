import fc from "fast-check";
import {
  PDU,
  type SnmpValue,
  UsmUsers,
  type VarBind,
  writeCommunityMessage,
  writePdu,
  writeTrapV1,
} from "../decode/snmp/index.js";
import { Meanings } from "../meaning/index.js";
import { testCrypto } from "../testing/node/snmp-crypto.js";
import { fitContent, snmpRecord } from "./index.js";

const RECEIVED = 1_795_485_911_000_000;
const context = (meanings = new Meanings()) => ({
  receivedUs: RECEIVED,
  users: new UsmUsers([], testCrypto),
  meanings,
});

/** RFC 3418, RFC 2863. */
const SYS_UPTIME = "1.3.6.1.2.1.1.3.0";
const TRAP_OID = "1.3.6.1.6.3.1.1.4.1.0";
const LINK_DOWN = "1.3.6.1.6.3.1.1.5.3";
const IF_INDEX = "1.3.6.1.2.1.2.2.1.1.7";
const IF_DESCR = "1.3.6.1.2.1.2.2.1.2.7";
const IF_NAME = "1.3.6.1.2.1.31.1.1.1.1.7";
const OWN = "1.3.6.1.4.1.32473.9";

const utf8 = (text: string): SnmpValue => ({ type: "octet string", value: new TextEncoder().encode(text) });
const int = (n: number): SnmpValue => ({ type: "integer", value: BigInt(n) });

const trap = (trapOid: string, ...varbinds: VarBind[]) =>
  writeCommunityMessage(
    "v2c",
    "secret-word",
    writePdu(PDU.trap, 9, [
      { oid: SYS_UPTIME, value: { type: "timeticks", value: 4_200n } },
      { oid: TRAP_OID, value: { type: "object identifier", value: trapOid } },
      ...varbinds,
    ]),
  );
const recordOf = (bytes: Uint8Array, meanings?: Meanings) => snmpRecord(bytes, context(meanings));
const saidOf = (value: SnmpValue): string | undefined =>
  recordOf(trap(`${OWN}.0.1`, { oid: `${OWN}.1.0`, value })).data.find(([name]) => name === `${OWN}.1.0`)?.[1];

test("a notification says which it is, what it carries and what its event means; the datagram stays beside it", () => {
  const bytes = trap(LINK_DOWN, { oid: IF_INDEX, value: int(7) }, { oid: IF_NAME, value: utf8("ge0/7") });
  expect(recordOf(bytes)).toMatchObject({
    kind: "snmp",
    timeUs: RECEIVED,
    timeReason: "arrival: no stamp",
    event: LINK_DOWN,
    category: "link",
    outcome: "failure",
    host: null,
    interface: "ge0/7",
    text: `${IF_INDEX}=7 ${IF_NAME}=ge0/7`,
    data: [
      [IF_INDEX, "7"],
      [IF_NAME, "ge0/7"],
      ["uptime ticks", "4200"],
      ["version", "v2c"],
    ],
    raw: bytes,
    problem: null,
  });
});

test("the community stands in no part of the record that people read", () => {
  const { raw, ...read } = recordOf(trap(LINK_DOWN));
  expect(JSON.stringify(read)).not.toContain("secret-word");
});

test.each([
  ["its name before its description", [IF_DESCR, utf8("Port seven")], [IF_NAME, utf8("ge0/7")], "ge0/7"],
  ["its description before its index", [IF_INDEX, int(7)], [IF_DESCR, utf8("Port seven")], "Port seven"],
  ["its index where nothing else is said", [IF_INDEX, int(7)], [`${OWN}.1.0`, utf8("x")], "7"],
  ["no name that is a number", [IF_NAME, int(7)], [IF_INDEX, utf8("x")], null],
  ["nothing where none is concerned", [`${OWN}.1.0`, int(7)], [`${OWN}.2.0`, int(8)], null],
] as [string, [string, SnmpValue], [string, SnmpValue], string | null][])(
  "the interface is %s (RFC 2863)",
  (_what, [a, aValue], [b, bValue], name) => {
    expect(recordOf(trap(LINK_DOWN, { oid: a, value: aValue }, { oid: b, value: bValue })).interface).toBe(name);
  },
);

test("of the first version: agent, enterprise, generic and specific number (RFC 1157 section 4.1.6)", () => {
  const of = (generic: number) =>
    recordOf(
      writeCommunityMessage(
        "v1",
        "c",
        writeTrapV1({
          enterprise: OWN,
          agentAddress: "10.20.1.13",
          generic,
          specific: 77,
          uptimeTicks: 1,
          varbinds: [{ oid: `${OWN}.1.0`, value: { type: "ip address", value: "10.20.1.99" } }],
        }),
      ),
    );
  expect(of(6)).toMatchObject({ host: "10.20.1.13", event: `${OWN}.0.77`, otherAddresses: ["10.20.1.99"] });
  expect(Object.fromEntries(of(2).data)).toMatchObject({
    enterprise: OWN,
    generic: "2",
    specific: "77",
    version: "v1",
    "uptime ticks": "1",
  });
});

test("an inform says that it is one", () => {
  const inform = writeCommunityMessage(
    "v2c",
    "c",
    writePdu(PDU.inform, 9, [
      { oid: SYS_UPTIME, value: { type: "timeticks", value: 1n } },
      { oid: TRAP_OID, value: { type: "object identifier", value: LINK_DOWN } },
    ]),
  );
  expect(recordOf(inform).data).toContainEqual(["inform", "yes"]);
});

test.each([
  ["text", utf8("Kai ⚓ 3"), "Kai ⚓ 3"],
  ["lines", utf8("a\r\n\tb"), "a\r\n\tb"],
  ["an address of hardware", { type: "octet string", value: Uint8Array.of(0, 0x1b, 0x21, 7, 8, 9) }, "0x001b21070809"],
  ["no UTF-8", { type: "octet string", value: Uint8Array.of(0xff, 0x41) }, "0xff41"],
  ["a control character", { type: "octet string", value: Uint8Array.of(0x41, 0x7f) }, "0x417f"],
  ["nothing", { type: "octet string", value: new Uint8Array(0) }, ""],
  ["a number below nothing", int(-40), "-40"],
  ["a counter of 64 bits", { type: "counter64", value: 2n ** 64n - 1n }, "18446744073709551615"],
  ["an identifier", { type: "object identifier", value: "1.3.6.1" }, "1.3.6.1"],
  ["half a number", { type: "float", value: 1.5, raw: Uint8Array.of(0x9f, 0x78, 4, 0x3f, 0xc0, 0, 0) }, "1.5"],
  ["something opaque", { type: "opaque", value: Uint8Array.of(1, 2) }, "0x0102"],
  ["no value", { type: "null" }, "null"],
  ["an object that there is not", { type: "no such object" }, "no such object"],
] as [string, SnmpValue, string][])("a value that is %s is text without loss", (_what, value, said) => {
  expect(saidOf(value)).toBe(said);
});

test("any octets can be had back from the text they became", () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 40 }), (octets) => {
      const said = saidOf({ type: "octet string", value: octets })!;
      const isHex = /^0x(?:[0-9a-f]{2})*$/.test(said);
      const back = isHex ? Buffer.from(said.slice(2), "hex") : Buffer.from(said, "utf8");
      // text that happens to look so is itself
      expect([...back].join() === [...octets].join() || said === new TextDecoder().decode(octets)).toBe(true);
    }),
  );
});

test("people's own meanings stand before those that ship", () => {
  const meanings = new Meanings([
    { kind: "snmp", code: LINK_DOWN, severity: 1, category: "service", outcome: "unknown", sentence: null, next: null },
  ]);
  expect(recordOf(trap(LINK_DOWN), meanings)).toMatchObject({ severity: 1, category: "service", outcome: "unknown" });
  expect(recordOf(trap(`${OWN}.0.1`))).toMatchObject({ severity: 5, category: "other", outcome: "unknown" });
});

test("a text of thousands of bindings is cut where a character ends; its values are all there", () => {
  // whichever of the two is at the end of it
  for (const first of ["", "x"]) {
    const many = Array.from({ length: 900 }, (_, i) => ({
      oid: `${OWN}.${i + 100}.0`,
      value: utf8(i === 0 ? first : "🚢".repeat(5)),
    }));
    const record = recordOf(trap(LINK_DOWN, ...many));
    expect(record.text.length).toBeLessThanOrEqual(8_000);
    expect(record.text.length).toBeGreaterThan(7_990);
    expect(record.text.isWellFormed()).toBe(true);
    expect(record.data.filter(([name]) => name.startsWith(OWN))).toHaveLength(900);
    // and so it is no problem of the record
    expect(fitContent(record, new Uint8Array()).problem).toBeNull();
  }
});

test("what is no notification is kept, with why and where", () => {
  const bytes = Uint8Array.of(0x30, 3, 2, 1, 9);
  expect(recordOf(bytes)).toMatchObject({ kind: "snmp", event: null, raw: bytes });
  expect(recordOf(bytes).problem).toMatchObject({ message: expect.stringMatching(/./) });
});
