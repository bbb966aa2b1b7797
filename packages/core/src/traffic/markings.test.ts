import { US_PER_MINUTE, US_PER_SECOND } from "../base/time/index.js";
import { type FlowSeen, MarkingChanges } from "./index.js";

const NOON = 1_764_331_200 * US_PER_SECOND;
const flow = (sender: number, dscp: number | null, more: Partial<FlowSeen> = {}): FlowSeen => ({
  sender,
  timeUs: NOON + US_PER_MINUTE,
  startUs: NOON,
  src: "10.20.3.16",
  dst: "10.20.1.60",
  srcPort: 554,
  dstPort: 47_554,
  protocol: 17,
  bytes: 1_000,
  packets: 10,
  reverseBytes: 0,
  reversePackets: 0,
  ingress: 2,
  egress: 1,
  direction: null,
  tos: dscp === null ? null : dscp << 2,
  tcpFlags: null,
  srcAs: null,
  dstAs: null,
  application: null,
  samplingRate: 1,
  ...more,
});
const read = (flows: readonly FlowSeen[]) => {
  const markings = new MarkingChanges();
  for (const f of flows) markings.add(f);
  return markings.result().map((c) => [c.at, c.before, c.next, c.after, c.conversations, c.bytes]);
};

// AF41 is 34 (RFC 2597 section 6), EF 46 (RFC 3246 section 2.7)
test.each<[name: string, flows: FlowSeen[], want: number[][]]>([
  ["carried on", [flow(1, 34), flow(2, 34)], []],
  ["told by one alone", [flow(1, 34), flow(1, 34)], []],
  ["not told by the other", [flow(1, 34), flow(2, null)], []],
  ["lost, whoever tells first", [flow(2, 0), flow(1, 34)], [[1, 34, 2, 0, 1, 1_000]]],
  [
    "changed, then lost",
    [flow(1, 46), flow(2, 34), flow(3, 0)],
    [
      [1, 46, 2, 34, 1, 1_000],
      [2, 34, 3, 0, 1, 1_000],
    ],
  ],
  [
    "two conversations alike",
    [flow(1, 34), flow(2, 0), flow(1, 34, { srcPort: 9 }), flow(2, 0, { srcPort: 9 })],
    [[1, 34, 2, 0, 2, 2_000]],
  ],
  ["told by the minute it is one", [flow(1, 34), flow(2, 0), flow(1, 34), flow(2, 0)], [[1, 34, 2, 0, 1, 2_000]]],
  [
    "other ways are others",
    [flow(1, 34), flow(2, 0), flow(1, 34, { srcPort: 9, egress: 7 }), flow(2, 0, { srcPort: 9 })],
    [
      [1, 34, 2, 0, 1, 1_000],
      [1, 34, 2, 0, 1, 1_000],
    ],
  ],
])("%s", (_, flows, want) => expect(read(flows)).toEqual(want));
