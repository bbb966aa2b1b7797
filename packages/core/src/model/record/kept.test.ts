import { testRecord } from "../../testing/record.js";
import { keepRecord, readKept } from "./kept.js";

const flow = {
  startUs: 5,
  ingress: 1,
  egress: null,
  tos: 184,
  tcpFlags: 2,
  icmp: null,
  srcAs: null,
  dstAs: 64_500,
  srcMask: 24,
  dstMask: null,
  nextHop: null,
  vlan: null,
  direction: 0,
  application: null,
  reverseBytes: 2n ** 62n,
  reversePackets: 3,
  samplingRate: 100,
  domain: 0,
  sequence: 7,
};

test.each([
  ["a plain one", testRecord({ text: 'a\u2028b "c"', data: [["k", "v"]], users: ["u"], marks: ["late"] })],
  ["octets beyond 2^53", testRecord({ bytes: 2n ** 60n, packets: 12 })],
  ["no octets, and none counted", testRecord({ bytes: 0, packets: null })],
  [
    "a flow",
    testRecord({ kind: "flow", flow, translated: { src: "192.0.2.1", dst: null, srcPort: 1, dstPort: null } }),
  ],
])("a record comes back as it was kept: %s", (_what, record) => {
  expect(readKept(keepRecord(record))).toEqual({ ...record, raw: null });
});
