import { MibNames } from "../decode/mib/index.js";
import { type Observation, writeObservation } from "../decode/packets/index.js";
import { Meanings } from "../meaning/index.js";
import { sentenceOf } from "../meaning/sentence/index.js";
import { NO_APPLICATIONS } from "../model/applications/index.js";
import { packetRecord } from "./index.js";

const T = 1_764_331_200_000_000;
const seen = (o: Partial<Observation>): Uint8Array =>
  writeObservation({
    what: "dns",
    timeUs: T,
    event: "NOERROR",
    outcome: "success",
    src: "10.0.0.1",
    dst: "10.0.0.53",
    srcPort: 40_000,
    dstPort: 53,
    protocol: 17,
    addresses: [],
    values: [],
    ...o,
  });
const recordOf = (o: Partial<Observation>) => packetRecord(seen(o), { receivedUs: T + 5, clockOffsetUs: 0 });
const say = (o: Partial<Observation>): string =>
  sentenceOf(
    { ...recordOf(o), id: "1", sender: 1, endpoint: "import", copyOf: null, shape: null },
    {
      senderName: "tap-1",
      meanings: new Meanings(),
      mib: new MibNames([]),
      applications: NO_APPLICATIONS,
      interfaceName: () => null,
    },
  );

test.each<[string, Partial<Observation>]>([
  [
    "10.0.0.1 asked 10.0.0.53 for A of x.example: 203.0.113.9, after 12.3 ms",
    {
      addresses: ["203.0.113.9"],
      values: [
        ["question", "x.example"],
        ["question type", "A"],
        ["answer time", "12.345"],
        ["answer", "203.0.113.9"],
      ],
    },
  ],
  [
    "10.0.0.1 asked 10.0.0.53 for MX of x.example: there is no such name",
    {
      event: "NXDOMAIN",
      outcome: "failure",
      values: [
        ["question", "x.example"],
        ["question type", "MX"],
      ],
    },
  ],
  [
    "10.0.0.1 asked 10.0.0.53 for A of x.example: there was no answer",
    {
      event: "no answer",
      outcome: "failure",
      values: [
        ["question", "x.example"],
        ["question type", "A"],
      ],
    },
  ],
  [
    "10.0.0.1 asked for GET h.example/a: 503 after 1.5 s, 2.0 kB",
    {
      what: "http",
      event: "GET",
      outcome: "failure",
      values: [
        ["server name", "h.example"],
        ["path", "/a"],
        ["status", "503"],
        ["answer time", "1500"],
        ["answer bytes", "2000"],
      ],
    },
  ],
  [
    "10.0.0.1 and h.example (10.0.0.53:443) agreed on TLS 1.3 in 8 ms",
    {
      what: "tls",
      event: "agreed",
      dstPort: 443,
      values: [
        ["server name", "h.example"],
        ["version", "TLS 1.3"],
        ["taken", "8"],
      ],
    },
  ],
  [
    "10.0.0.1 and 10.0.0.53:443 did not agree on TLS: unknown ca, by the client",
    {
      what: "tls",
      event: "failed",
      outcome: "failure",
      dstPort: 443,
      values: [["alert", "unknown ca, by the client"]],
    },
  ],
  ["10.0.0.53:25 refused a connection of 10.0.0.1:40000", { what: "tcp", event: "refused", dstPort: 25 }],
  [
    "the connection of 10.0.0.1:40000 to 10.0.0.53:25 was reset by the server after 9 ms, made in 2 ms",
    {
      what: "tcp",
      event: "reset",
      dstPort: 25,
      values: [
        ["by", "the server"],
        ["taken", "9"],
        ["connect time", "2"],
      ],
    },
  ],
  [
    "10.0.0.1 told 10.0.0.53 that its UDP to 10.0.0.9:161 failed: port unreachable, 3 times",
    {
      what: "icmp",
      event: "port unreachable",
      values: [
        ["destination", "10.0.0.9"],
        ["carried", "17"],
        ["destination port", "161"],
        ["times", "3"],
      ],
    },
  ],
  [
    "10.0.0.1 moved from 02:00:00:00:00:01 to 02:00:00:00:00:02",
    {
      what: "neighbour",
      event: "changed",
      dst: null,
      values: [
        ["mac", "02:00:00:00:00:02"],
        ["mac before", "02:00:00:00:00:01"],
      ],
    },
  ],
])("%s", (sentence, o) => {
  expect(say(o)).toBe(sentence);
});

test("its fields: who, whom, when, how much, what it names, its bytes as they were", () => {
  const o: Partial<Observation> = {
    what: "http",
    event: "GET",
    addresses: ["2001:DB8::1", "nonsense"],
    values: [
      ["server name", "h.example"],
      ["request bytes", "5"],
      ["answer bytes", "9007199254740993"],
    ],
  };
  expect(recordOf(o)).toMatchObject({
    kind: "packet",
    timeUs: T,
    timeReason: "device",
    category: "traffic",
    outcome: "success",
    app: "http",
    event: "GET",
    src: "10.0.0.1",
    dst: "10.0.0.53",
    dstPort: 53,
    protocol: 17,
    bytes: 9_007_199_254_740_998n,
    otherAddresses: ["2001:db8::1"],
    text: "http GET h.example",
    raw: seen(o),
    problem: null,
  });
});

test.each<[number, Partial<Observation>]>([
  [6, {}],
  [6, { event: "NXDOMAIN", outcome: "failure" }],
  [5, { event: "SERVFAIL", outcome: "failure" }],
  [4, { what: "http", values: [["status", "500"]] }],
  [5, { what: "http", values: [["status", "403"]] }],
  [6, { what: "http", values: [["status", "404"]] }],
  [5, { what: "tls", values: [["version", "TLS 1.0"]] }],
  [6, { what: "tls", values: [["version", "TLS 1.2"]] }],
  [5, { what: "neighbour", event: "changed" }],
  [5, { what: "icmp", event: "prohibited" }],
  [6, { what: "tcp", event: "refused", outcome: "failure" }],
])("severity %i of %j", (severity, o) => {
  expect(recordOf(o).severity).toBe(severity);
});

test("bytes that are none of ours become a record with the reason", () => {
  const record = packetRecord(new TextEncoder().encode("[]"), { receivedUs: T, clockOffsetUs: 0 });
  expect(record).toMatchObject({ kind: "packet", problem: { code: "BAD_VALUE" }, marks: ["problem"] });
});
