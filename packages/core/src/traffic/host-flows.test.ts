import { US_PER_MINUTE, US_PER_SECOND } from "../base/time/index.js";
import { type FlowSeen, HostFlows } from "./index.js";

const MIN = US_PER_MINUTE;
const NOON = 1_764_331_200 * US_PER_SECOND;
const HOST = "10.20.1.20";
const [FIN, SYN, RST, ACK] = [1, 2, 4, 16];

const flow = (more: Partial<FlowSeen>): FlowSeen => ({
  sender: 1,
  timeUs: NOON + MIN,
  startUs: NOON,
  src: HOST,
  dst: "203.0.113.9",
  srcPort: 50_000,
  dstPort: 443,
  protocol: 6,
  bytes: 6_000,
  packets: 6,
  reverseBytes: 0,
  reversePackets: 0,
  ingress: 1,
  egress: 2,
  direction: null,
  tos: 0,
  tcpFlags: SYN | ACK | FIN,
  srcAs: null,
  dstAs: null,
  application: null,
  samplingRate: 1,
  ...more,
});
const back = (more: Partial<FlowSeen>): FlowSeen =>
  flow({ src: "203.0.113.9", dst: HOST, srcPort: 443, dstPort: 50_000, bytes: 60_000, packets: 60, ...more });
const read = (flows: readonly FlowSeen[], minutes = 10) => {
  const host = new HostFlows(new Set([HOST]), { fromUs: NOON, toUs: NOON + minutes * MIN }, MIN);
  for (const f of flows) host.add(f);
  return host.result();
};

test("what it sent and received, step by step, and what it uses of others", () => {
  const told = read([flow({ timeUs: NOON + 2 * MIN }), back({ timeUs: NOON + 2 * MIN })]);
  expect(told.total).toEqual({ sent: 6_000, received: 60_000, packets: 66, flows: 2 });
  expect([told.sent.slice(0, 3), told.received.slice(0, 3)]).toEqual([
    [3_000, 3_000, 0],
    [30_000, 30_000, 0],
  ]);
  expect(told.peers).toEqual([["203.0.113.9", { sent: 6_000, received: 60_000, packets: 66, flows: 2 }]]);
  expect(told.uses).toEqual([
    ["6 443", { sent: 6_000, received: 60_000, packets: 66, flows: 2, accepted: 1, refused: 0, unanswered: 0 }],
  ]);
  expect(told.offers).toEqual([]);
});

test("told by two exporters it is counted once, and a way back told in the same record is one flow", () => {
  const twice = [
    flow({}),
    flow({ sender: 2 }),
    flow({ sender: 3, srcPort: 50_001, reverseBytes: 400, reversePackets: 4 }),
  ];
  expect(read(twice).total).toEqual({ sent: 12_000, received: 400, packets: 16, flows: 2 });
});

// RFC 9293 section 3.1 for the bits; what a lone SYN and a lone RST mean: section 3.5
test.each<[name: string, flows: FlowSeen[], want: { accepted: number; refused: number; unanswered: number }]>([
  [
    "answered",
    [flow({ src: "10.20.2.9", dst: HOST, dstPort: 445 }), flow({ srcPort: 445, dst: "10.20.2.9", dstPort: 50_000 })],
    { accepted: 1, refused: 0, unanswered: 0 },
  ],
  [
    "refused",
    [flow({ srcPort: 445, dst: "10.20.2.9", dstPort: 50_000, tcpFlags: RST | ACK, packets: 1, bytes: 40 })],
    { accepted: 0, refused: 1, unanswered: 0 },
  ],
  [
    "nobody answered",
    [flow({ src: "10.20.2.9", dst: HOST, dstPort: 445, tcpFlags: SYN, packets: 3, bytes: 180 })],
    { accepted: 0, refused: 0, unanswered: 1 },
  ],
  [
    "without flags nothing is known",
    [flow({ src: "10.20.2.9", dst: HOST, dstPort: 445, tcpFlags: null })],
    { accepted: 0, refused: 0, unanswered: 0 },
  ],
  [
    "an answer by UDP",
    [flow({ protocol: 17, tcpFlags: null, srcPort: 53, dst: "10.20.2.9", dstPort: 50_000 })],
    { accepted: 1, refused: 0, unanswered: 0 },
  ],
])("ports it offers: %s", (_, flows, want) => {
  const told = read(flows);
  expect(told.uses).toEqual([]);
  expect(told.offers.length).toBe(1);
  expect(told.offers[0]![1]).toMatchObject({ ...want, clients: 1 });
});

test("what goes on beyond the window counts with its part in it, and what is not of it does not count", () => {
  const told = read([
    flow({ startUs: NOON - MIN, timeUs: NOON + MIN }),
    flow({ startUs: NOON + 9 * MIN, timeUs: NOON + 11 * MIN, srcPort: 50_002 }),
    flow({ timeUs: NOON - MIN, startUs: NOON - 2 * MIN, srcPort: 50_003 }),
    flow({ src: "10.20.9.9", dst: "10.20.9.8" }),
  ]);
  expect(told.total).toEqual({ sent: 6_000, received: 0, packets: 6, flows: 1 });
  expect(told.peersInAll).toBe(1);
});

test("a scan of a network takes bounded memory", () => {
  const host = new HostFlows(new Set([HOST]), { fromUs: NOON, toUs: NOON + MIN }, MIN);
  for (let i = 0; i < 30_000; i++)
    host.add(
      flow({
        dst: `10.${i >> 16}.${(i >> 8) & 255}.${i & 255}`,
        timeUs: NOON,
        startUs: null,
        tcpFlags: SYN,
        packets: 1,
        bytes: 40,
      }),
    );
  const told = host.result();
  expect(told.total.flows).toBe(30_000);
  expect([told.peersInAll, told.peers.length]).toEqual([20_000, 200]);
});
