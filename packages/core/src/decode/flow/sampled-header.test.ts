import fc from "fast-check";
import { emptyFlow } from "./flow-record.js";
import { readSampledHeader } from "./sampled-header.js";

const ETHERNET = 1;
const IPV4 = 11;
const IPV6 = 12;

const bytes = (...parts: readonly (readonly number[])[]) => Uint8Array.from(parts.flat());
const u16 = (n: number) => [n >> 8, n & 255];
const read = (protocol: number, header: Uint8Array) => {
  const f = emptyFlow();
  readSampledHeader(protocol, header, f);
  return f;
};

const SRC = [0x20, 0x01, 0x0d, 0xb8, ...Array(11).fill(0), 7];
const DST = [0x20, 0x01, 0x0d, 0xb8, ...Array(11).fill(0), 9];
/** RFC 8200 section 3: version, traffic class, flow label; payload length; next header; hop limit; addresses. */
const ipv6 = (next: number, trafficClass = 0) => [
  0x60 | (trafficClass >> 4),
  (trafficClass << 4) & 0xf0,
  ...[0, 0, 0, 0, next, 64],
  ...SRC,
  ...DST,
];
/** RFC 9293 section 3.1: ports, numbers, offset, flags. */
const tcp = (flags: number) => [...u16(51_440), ...u16(443), ...Array(8).fill(0), 0x50, flags, 0, 0, 0, 0, 0, 0];
const udp = [...u16(53_000), ...u16(53), 0, 8, 0, 0];
/** RFC 8200 section 4.2: an extension of so many times eight octets. */
const extension = (next: number, eights = 1) => [next, eights - 1, ...Array(eights * 8 - 2).fill(0)];
/** RFC 8200 section 4.5. */
const fragment = (next: number, offset: number) => [next, 0, ...u16(offset << 3), 0, 0, 0, 1];

const HOP_BY_HOP = 0;
const ROUTING = 43;
const FRAGMENT = 44;
const TCP = 6;
const UDP = 17;

test.each([
  [
    "TCP, its flags and its class",
    bytes(ipv6(TCP, 0xb8), tcp(0x12)),
    { protocol: TCP, srcPort: 51_440, dstPort: 443, tcpFlags: 0x12, tos: 0xb8 },
  ],
  [
    "UDP behind two extensions, one of them long",
    bytes(ipv6(HOP_BY_HOP), extension(ROUTING), extension(UDP, 3), udp),
    { protocol: UDP, srcPort: 53_000, dstPort: 53 },
  ],
  [
    "UDP behind its authentication (RFC 4302)",
    bytes(ipv6(51), [UDP, 4, ...Array(22).fill(0)], udp),
    { protocol: UDP, dstPort: 53 },
  ],
  ["a first fragment", bytes(ipv6(FRAGMENT), fragment(UDP, 0), udp), { protocol: UDP, dstPort: 53 }],
  [
    "a later fragment, whose ports are data",
    bytes(ipv6(FRAGMENT), fragment(UDP, 185), udp),
    { protocol: UDP, srcPort: null, dstPort: null },
  ],
  ["ICMP: type and code", bytes(ipv6(58), [128, 0, 0, 0, 0, 0, 0, 0]), { protocol: 58, icmp: 0x8000, srcPort: null }],
  ["a protocol without ports", bytes(ipv6(50), Array(16).fill(1)), { protocol: 50, srcPort: null }],
  [
    "no more than the addresses, where nothing follows",
    bytes(ipv6(TCP)),
    { protocol: TCP, srcPort: null, tcpFlags: null },
  ],
  [
    "ports without flags, where it is cut behind them",
    bytes(ipv6(TCP), tcp(2).slice(0, 4)),
    { srcPort: 51_440, tcpFlags: null },
  ],
  [
    "nothing of what is carried, where it is cut within an extension",
    bytes(ipv6(HOP_BY_HOP), [TCP, 0, 0]),
    { protocol: null, srcPort: null },
  ],
  [
    "nothing of ports, where an extension is longer than what is there",
    bytes(ipv6(HOP_BY_HOP), [TCP, 200, 0, 0, 0, 0, 0, 0], tcp(2)),
    { protocol: TCP, srcPort: null },
  ],
])("of IPv6: %s (RFC 8200)", (_what, header, told) => {
  expect(read(IPV6, header)).toMatchObject({ src: "2001:db8::7", dst: "2001:db8::9", ...told });
});

test("extensions without end are followed so far", () => {
  const many = Array.from({ length: 12 }, () => extension(HOP_BY_HOP)).flat();
  expect(read(IPV6, bytes(ipv6(HOP_BY_HOP), many))).toMatchObject({ protocol: null, src: "2001:db8::7" });
});

/** RFC 791 section 3.1. */
const ipv4 = (protocol: number, fragmentOffset = 0, options = 0) => [
  0x45 + options,
  0x28,
  ...[0, 0, 0, 0, ...u16(fragmentOffset), 64, protocol, 0, 0, 10, 20, 4, 31, 203, 0, 113, 9],
  ...Array(options * 4).fill(1),
];
const frame = (...tags: readonly (readonly [kind: number, id: number])[]) => [
  ...Array(12).fill(2),
  ...tags.flatMap(([kind, id]) => [...u16(kind), ...u16(id)]),
];

test.each([
  ["as it is", IPV4, bytes(ipv4(TCP), tcp(0x18)), { dstPort: 443, tcpFlags: 0x18, tos: 0x28, vlan: null }],
  ["with options", IPV4, bytes(ipv4(UDP, 0, 3), udp), { srcPort: 53_000, dstPort: 53 }],
  ["a later fragment", IPV4, bytes(ipv4(UDP, 0x2001), udp), { protocol: UDP, srcPort: null }],
  ["in a frame", ETHERNET, bytes(frame(), u16(0x0800), ipv4(UDP), udp), { dstPort: 53, vlan: null }],
  [
    "in a tagged frame (IEEE 802.1Q)",
    ETHERNET,
    bytes(frame([0x8100, 0x6014]), u16(0x0800), ipv4(UDP), udp),
    { dstPort: 53, vlan: 20 },
  ],
  [
    "in one with a tag within a tag: the outer one (IEEE 802.1ad)",
    ETHERNET,
    bytes(frame([0x88a8, 100], [0x8100, 20]), u16(0x0800), ipv4(UDP), udp),
    { dstPort: 53, vlan: 100 },
  ],
])("of IPv4: %s", (_what, protocol, header, told) => {
  expect(read(protocol, header)).toMatchObject({ src: "10.20.4.31", dst: "203.0.113.9", ...told });
});

test.each([
  ["another version", IPV6, bytes(ipv4(TCP), Array(40).fill(0))],
  ["another version", IPV4, bytes(ipv6(TCP))],
  ["a frame of something else", ETHERNET, bytes(frame(), u16(0x0806), Array(40).fill(0))],
  ["a protocol of headers that nobody knows", 99, bytes(ipv6(TCP), tcp(2))],
])("%s tells nothing", (_what, protocol, header) => expect(read(protocol, header)).toEqual(emptyFlow()));

test("cut anywhere it tells what is there, and the more there is the more it tells", () => {
  const whole = bytes(ipv6(HOP_BY_HOP), extension(FRAGMENT), fragment(TCP, 0), tcp(2));
  let known = 0;
  for (let n = 0; n <= whole.length; n++) {
    const f = read(IPV6, whole.subarray(0, n));
    const told = [f.src, f.dst, f.tos, f.protocol, f.srcPort, f.dstPort, f.tcpFlags].filter((v) => v !== null).length;
    expect(told).toBeGreaterThanOrEqual(known);
    known = told;
  }
  expect(known).toBe(7);
});

test("whatever stands in it, it is read", () => {
  fc.assert(
    fc.property(fc.constantFrom(ETHERNET, IPV4, IPV6), fc.uint8Array({ maxLength: 160 }), (protocol, header) => {
      const f = read(protocol, header);
      for (const port of [f.srcPort, f.dstPort]) if (port !== null) expect(port).toBeLessThan(65_536);
    }),
    { numRuns: 2_000 },
  );
});
