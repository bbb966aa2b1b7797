import { Forward, sayWay, withOrigin } from "./index.js";

const octets = (text: string) => Uint8Array.from(text, (c) => c.charCodeAt(0));
const text = (bytes: Uint8Array) => String.fromCharCode(...bytes);
const origin = { address: "10.20.1.4", name: "sw hestnes 2", received: "2026-11-29T02:14:07.120000Z" };
const ORIGIN = '[origin ip="10.20.1.4"]';

describe("who sent it, added", () => {
  test.each([
    [
      "RFC 5424 section 6.5, example 1: no structured data",
      "<34>1 2003-10-11T22:14:15.003Z mymachine.example su - ID47 - 'su root' failed",
      `<34>1 2003-10-11T22:14:15.003Z mymachine.example su - ID47 ${ORIGIN} 'su root' failed`,
    ],
    [
      "example 3: there is some already",
      '<165>1 2003-10-11T22:14:15.003Z mymachine.example evntslog - ID47 [exampleSDID@32473 iut="3"] An event',
      `<165>1 2003-10-11T22:14:15.003Z mymachine.example evntslog - ID47 ${ORIGIN}[exampleSDID@32473 iut="3"] An event`,
    ],
    [
      "somebody before us said it: it stays",
      '<165>1 2003-10-11T22:14:15.003Z m e - ID47 [a@32473 b="c"][origin ip="192.0.2.1"] An event',
      null,
    ],
    [
      "RFC 3164 section 5.4, example 1: it stays whole behind a header",
      "<34>Oct 11 22:14:15 mymachine su: 'su root' failed",
      `<34>1 ${origin.received} swhestnes2 - - - ${ORIGIN} <34>Oct 11 22:14:15 mymachine su: 'su root' failed`,
    ],
    ["no priority at all", "link down", `<13>1 ${origin.received} swhestnes2 - - - ${ORIGIN} link down`],
    ["a priority there is none of", "<999>x", `<13>1 ${origin.received} swhestnes2 - - - ${ORIGIN} <999>x`],
  ])("%s", (_, message, want) => expect(text(withOrigin(octets(message), origin))).toBe(want ?? message));
  test("octets of any encoding stay what they are", () => {
    const message = Uint8Array.of(...octets("<13>x "), 0xff, 0x80, 0x00, 0xe6);
    expect([...withOrigin(message, origin)].slice(-4)).toEqual([0xff, 0x80, 0x00, 0xe6]);
  });
});

test.each<[object, string]>([
  [
    { is: "syslog", transport: "tls", host: "logs.orvane.example", port: 6514 },
    "syslog over TLS to logs.orvane.example:6514",
  ],
  [{ is: "flow", host: "2001:db8::7", port: 2055 }, "flow datagrams to 2001:db8::7:2055"],
  [{ is: "json", url: "https://logs.orvane.example/in" }, "JSON lines to https://logs.orvane.example/in"],
])("said in short: %j", (way, says) => expect(sayWay(Forward.parse({ name: "a", way }).way)).toBe(says));

test.each<[string, object]>([
  ["no way", { way: { is: "pigeon" } }],
  ["a host with more in it", { way: { is: "snmp", host: "a b", port: 162 } }],
  ["a file", { way: { is: "json", url: "file:///etc/passwd" } }],
  ["part of a datagram", { way: { is: "flow", host: "a", port: 2055 }, filter: "bytes over 4" }],
  [
    "a connection from another's address",
    { way: { is: "syslog", transport: "tls", host: "a", port: 6514, source: "sender" } },
  ],
  ["half a fingerprint", { way: { is: "json", url: "https://a/", certificate: "0a:0b" } }],
])("refused: %s", (_, forward) => expect(Forward.safeParse({ name: "a", ...forward }).success).toBe(false));

test("flows by their senders, and a fingerprint as people copy it", () => {
  expect(
    Forward.safeParse({
      name: "a",
      way: { is: "flow", host: "a", port: 1 },
      filter: "sender in group wan or not sender is x",
    }).success,
  ).toBe(true);
  expect(
    Forward.safeParse({ name: "a", way: { is: "flow", host: "a", port: 1 }, filter: "kind is flow" }).success,
  ).toBe(true);
  const { way } = Forward.parse({
    name: "a",
    way: { is: "json", url: "https://a/", certificate: `${"AB:".repeat(31)}AB` },
  });
  expect(way).toMatchObject({ certificate: "ab".repeat(32) });
});
