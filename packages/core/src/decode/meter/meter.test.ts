import { addressFromBytes } from "../../base/net/index.js";
import { bytes } from "../../testing/bytes.js";
import { effort } from "../../testing/node/effort.js";
import { ipv4 } from "../../testing/packets.js";
import { withoutStacks } from "../../testing/without-stacks.js";
import { pcapDatagram, pcapHeader } from "../capture/index.js";
import { FlowDecoder } from "../flow/index.js";
import { END_REASON, FlowMeter, IpfixWriter, MeteredCapture, type MeteredFlow, readHeaders } from "./index.js";

const S = 1e6;
const T = 1_764_331_200 * S;
const [ETHERNET, RAW] = [1, 101];
const [FIN, SYN, RST, ACK] = [1, 2, 4, 16];

const ports = (src: number, dst: number) =>
  bytes()
    .u16(src, dst)
    .u32(8 << 16)
    .done();
const tcp = (src: number, dst: number, flags: number, data = 0) =>
  bytes().u16(src, dst).u32(1, 2).u8(0x50, flags).u16(1_000, 0, 0).raw(new Uint8Array(data)).done();
const ethernet = (type: number, body: Uint8Array, vlan?: number) => {
  const o = bytes().raw(new Uint8Array(12));
  if (vlan !== undefined) o.u16(0x8100, vlan);
  return o.u16(type).raw(body).done();
};
const A = "10.20.1.20";
const B = "203.0.113.9";

describe("headers", () => {
  test.each<[string, number, Uint8Array, object | null]>([
    [
      "UDP",
      RAW,
      ipv4(A, B, 17, ports(5_000, 53), { tos: 184 }),
      { protocol: 17, srcPort: 5_000, dstPort: 53, bytes: 28, tos: 184, vlan: null, tcpFlags: 0, fragment: null },
    ],
    [
      "TCP in a VLAN",
      ETHERNET,
      ethernet(0x0800, ipv4(A, B, 6, tcp(40_000, 443, SYN)), 0x6064),
      { protocol: 6, dstPort: 443, tcpFlags: SYN, bytes: 40, vlan: 100 },
    ],
    [
      "ICMP, its type and code where a port would stand (RFC 7012, icmpTypeCodeIPv4)",
      RAW,
      ipv4(A, B, 1, bytes().u8(3, 1).u16(0).done()),
      { protocol: 1, srcPort: 0, dstPort: 0x0301 },
    ],
    [
      "a tunnel: the outer packet",
      RAW,
      ipv4(A, B, 47, ipv4("10.0.0.1", "10.0.0.2", 6, tcp(1, 2, SYN))),
      { protocol: 47, srcPort: 0, dstPort: 0, bytes: 60 },
    ],
    ["ARP is none", ETHERNET, ethernet(0x0806, new Uint8Array(28)), null],
    [
      "a later fragment has no ports",
      RAW,
      ipv4(A, B, 17, ports(9, 9), { offset: 1_480 }),
      { srcPort: 0, fragment: { id: 7, isFirst: false, isLast: true } },
    ],
    [
      "cut behind the ports",
      RAW,
      ipv4(A, B, 6, tcp(40_000, 443, ACK, 1_000)).subarray(0, 24),
      { srcPort: 40_000, dstPort: 443, bytes: 1_040, tcpFlags: 0 },
    ],
  ])("%s", (_, link, frame, want) => {
    const read = readHeaders(link, frame);
    if (want === null) expect(read).toBeNull();
    else expect(read).toMatchObject(want);
  });

  test("IPv6, with what stands between it and UDP", () => {
    const frame = bytes()
      .u16(0x6b80, 0, 16)
      .u8(0, 64)
      .raw(new Uint8Array(15))
      .u8(1)
      .raw(new Uint8Array(15))
      .u8(2)
      .u8(17, 0, 0, 0, 0, 0, 0, 0)
      .raw(ports(546, 547))
      .done();
    expect(readHeaders(ETHERNET, ethernet(0x86dd, frame))).toMatchObject({
      protocol: 17,
      srcPort: 546,
      dstPort: 547,
      bytes: 56,
      tos: 184,
    });
  });
});

const meter = (limits = {}) => {
  const m = new FlowMeter(limits);
  return {
    m,
    add: (us: number, packet: Uint8Array, link = RAW) => m.add(T + us, readHeaders(link, packet)!),
  };
};
const told = (flows: readonly MeteredFlow[]) =>
  flows.map((f) => [
    addressFromBytes(f.src),
    f.srcPort,
    f.packets,
    f.bytes,
    f.reversePackets,
    f.reverseBytes,
    f.endReason,
  ]);

describe("flows", () => {
  test("both ways are one flow, the way of the first packet first; over when TCP is", () => {
    const { m, add } = meter();
    add(0, ipv4(A, B, 6, tcp(40_000, 443, SYN)));
    add(1, ipv4(B, A, 6, tcp(443, 40_000, SYN | ACK)));
    add(2, ipv4(A, B, 6, tcp(40_000, 443, ACK, 100)));
    add(3, ipv4(B, A, 6, tcp(443, 40_000, ACK | FIN, 900)));
    add(4, ipv4(A, B, 6, tcp(40_000, 443, ACK | FIN)));
    expect(m.take()).toEqual([]);
    add(2 * S, ipv4(A, B, 17, ports(1, 2)));
    expect(told(m.take())).toEqual([[A, 40_000, 3, 220, 2, 980, END_REASON.ended]]);
  });

  test.each([
    ["a reset", ipv4(B, A, 6, tcp(443, 40_000, RST)), END_REASON.ended],
    ["nothing more", null, END_REASON.idle],
  ])("over after %s", (_, last, reason) => {
    const { m, add } = meter();
    add(0, ipv4(A, B, 6, tcp(40_000, 443, SYN)));
    if (last !== null) add(10, last);
    add(16 * S, ipv4(A, B, 17, ports(1, 2)));
    expect(m.take().map((f) => f.endReason)).toEqual([reason]);
  });

  test("what lasts is cut, keeps its direction, and loses nothing", () => {
    const { m, add } = meter();
    for (let s = 0; s < 150; s++) {
      add(s * S, ipv4(A, B, 6, tcp(40_000, 443, ACK, 60)));
      add(s * S + 500, ipv4(B, A, 6, tcp(443, 40_000, ACK, 160)));
    }
    const flows = [...m.take(), ...m.end()];
    expect(flows.map((f) => f.endReason)).toEqual([END_REASON.active, END_REASON.active, END_REASON.forced]);
    expect(new Set(flows.map((f) => addressFromBytes(f.src)))).toEqual(new Set([A]));
    expect(flows.reduce((n, f) => n + f.bytes, 0)).toBe(150 * 100);
    expect(flows.reduce((n, f) => n + f.reverseBytes, 0)).toBe(150 * 200);
  });

  test("the same ports used again after an end are another flow", () => {
    const { m, add } = meter();
    add(0, ipv4(A, B, 6, tcp(40_000, 443, SYN)));
    add(1, ipv4(B, A, 6, tcp(443, 40_000, RST)));
    add(2, ipv4(A, B, 6, tcp(40_000, 443, SYN)));
    expect(told(m.take())).toEqual([[A, 40_000, 1, 40, 1, 40, END_REASON.ended]]);
    expect(told(m.end())).toEqual([[A, 40_000, 1, 40, 0, 0, END_REASON.forced]]);
  });

  test("fragments count where their first one belongs; VLANs are told apart", () => {
    const { m, add } = meter();
    add(0, ipv4(A, B, 17, ports(5, 6), { more: true }));
    add(1, ipv4(A, B, 17, new Uint8Array(100), { offset: 8 }));
    add(2, ethernet(0x0800, ipv4(A, B, 17, ports(5, 6)), 30), ETHERNET);
    expect(told(m.end())).toEqual([
      [A, 5, 2, 148, 0, 0, END_REASON.forced],
      [A, 5, 1, 28, 0, 0, END_REASON.forced],
    ]);
  });

  test("more than there is room for are told of early, and counted", () => {
    const { m, add } = meter({ most: 100 });
    for (let i = 0; i < 1_000; i++) add(i, ipv4(A, B, 17, ports(i, 53)));
    expect(m.evicted).toBe(900);
    const flows = [...m.take(), ...m.end()];
    expect(flows.length).toBe(1_000);
    expect(flows.filter((f) => f.endReason === END_REASON.lackOfResources).length).toBe(900);
  });
});

test("what is written is read again by the decoder of flows: RFC 7011, both ways as RFC 5103", () => {
  const { m, add } = meter();
  add(0, ipv4(A, B, 6, tcp(40_000, 443, SYN), { tos: 184 }));
  add(3_000, ipv4(B, A, 6, tcp(443, 40_000, SYN | ACK, 60)));
  const v6 = bytes()
    .u16(0x6000, 0, 8)
    .u8(17, 64)
    .raw(new Uint8Array(15))
    .u8(1)
    .raw(new Uint8Array(15))
    .u8(2)
    .raw(ports(9, 53))
    .done();
  add(4_000, v6);
  const decoder = new FlowDecoder();
  const [message] = [...new IpfixWriter(5).write(m.end(), T + S)];
  const { records, problems, held, missed } = decoder.decode(message!, "10.0.0.1", T + S);
  expect({ problems, held, missed }).toEqual({ problems: [], held: 0, missed: 0 });
  expect(records).toMatchObject([
    {
      src: A,
      dst: B,
      srcPort: 40_000,
      dstPort: 443,
      protocol: 6,
      bytes: 40,
      packets: 1,
      reverseBytes: 100,
      reversePackets: 1,
      tos: 184,
      tcpFlags: SYN,
      startUs: T,
      endUs: T + 3_000,
      samplingRate: 1,
    },
    { src: "::1", dst: "::2", dstPort: 53, bytes: 48, packets: 1 },
  ]);
});

test("a capture becomes flow messages of its exporter; what cannot be read is told with its frame", () => {
  const capture = new MeteredCapture("10.0.0.1", 3, { keepsQueries: false });
  const messages = [
    ...capture.push(pcapHeader()),
    ...capture.push(pcapDatagram(T, A, 5_000, B, 53, new Uint8Array(20))),
    ...capture.push(pcapDatagram(T + S, B, 53, A, 5_000, new Uint8Array(120))),
    ...capture.push(bytes().u32(0x40000000, 0, 0x01000000, 0x01000000).u8(0x41).done()),
    ...capture.end(),
  ];
  const [problem, flows] = messages;
  expect(problem).toMatchObject({ type: "problem", frame: 3 });
  expect(flows).toMatchObject({ type: "message", protocol: "flow", src: "10.0.0.1", timeUs: T + S });
  const { records } = new FlowDecoder().decode((flows as { bytes: Uint8Array }).bytes, "10.0.0.1", T + S);
  expect(records).toMatchObject([{ src: A, bytes: 48, packets: 1, reverseBytes: 148, reversePackets: 1 }]);
});

test("a clock that is set back: what was open is told of, and the next is told of in its time", () => {
  const capture = new MeteredCapture("10.0.0.1", 3, { keepsQueries: false });
  const flows = (told: Iterable<object>) =>
    [...told].filter((m) => (m as { protocol?: string }).protocol === "flow").length;
  const BACK = T - 3_600 * S;
  expect(flows(capture.push(pcapHeader()))).toBe(0);
  expect(flows(capture.push(pcapDatagram(T, A, 5_000, B, 9, new Uint8Array(20))))).toBe(0);
  expect(flows(capture.renew())).toBe(1);
  expect(flows(capture.push(pcapDatagram(BACK, A, 5_001, B, 9, new Uint8Array(20))))).toBe(0);
  // 15 s without another packet, by the clock as it is now
  expect(flows(capture.pass(BACK + 14 * S))).toBe(0);
  expect(flows(capture.pass(BACK + 16 * S))).toBe(1);
  expect(flows(capture.end())).toBe(0);
});

test("tens of thousands of mutated packets neither end it nor fill it", () => {
  const m = new FlowMeter({ most: 1_000 });
  const seed = [
    ipv4(A, B, 6, tcp(40_000, 443, SYN, 20)),
    ethernet(0x86dd, new Uint8Array(60)),
    ipv4(A, B, 17, ports(1, 2), { more: true }),
  ];
  let state = 7;
  const next = (most: number) => {
    state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0;
    return (state >>> 8) % most;
  };
  const TRIES = effort(20_000);
  let read = 0;
  for (let i = 0; i < TRIES; i++) {
    const frame = seed[next(seed.length)]!.slice(0, 1 + next(80));
    for (let n = next(4); n >= 0; n--) frame[next(frame.length)] = next(256);
    try {
      const headers = withoutStacks(() => readHeaders(next(2) === 0 ? ETHERNET : RAW, frame));
      if (headers === null) continue;
      m.add(T + i * 100, headers);
      read++;
    } catch (e) {
      if ((e as { code?: string }).code === undefined) throw e;
    }
    m.take();
  }
  expect(read).toBeGreaterThan(0.05 * TRIES);
});
