import fc from "fast-check";
import { KINDS } from "../model/record/index.js";
import { parseFilter } from "../query/filter/index.js";
import { testRecord } from "../testing/record.js";
import {
  DEVICE_KINDS,
  fullInDays,
  growthAfter,
  guessFamily,
  INTAKE_QUESTIONS,
  looksLike,
  type StoredStream,
  steadyBytes,
} from "./index.js";

const stream = (parts: Partial<StoredStream> = {}): StoredStream => ({
  recordsADay: 1_000,
  bytesARecord: 500,
  keepDays: 90,
  storedDays: 0,
  ...parts,
});
const DAY = 500_000;

test.each<[name: string, streams: readonly StoredStream[], free: number, want: number | null]>([
  ["an empty store with room for ten days", [stream()], 10 * DAY, 11],
  ["room for all that is kept: never", [stream()], 90 * DAY, null],
  ["one day less than that", [stream()], 89 * DAY, 90],
  ["a store that holds all it keeps grows no more", [stream({ storedDays: 90 })], 1, null],
  ["older than it may be counts as that", [stream({ storedDays: 400 })], 1, null],
  ["half full: what goes at the other end is no growth", [stream({ storedDays: 45 })], 45 * DAY, null],
  ["two sorts, one of them soon steady", [stream({ keepDays: 5 }), stream()], 15 * DAY, 11],
  ["nothing free", [stream()], 0, 0],
  ["nothing sent", [stream({ recordsADay: 0 })], 1, null],
])("%s", (_, streams, free, want) => {
  expect(fullInDays(streams, free)).toBe(want);
});

test("whatever the streams: it never shrinks, ends at what is kept, and the day named is the first one", () => {
  const some = fc.array(
    fc.record({
      recordsADay: fc.nat(1e6),
      bytesARecord: fc.integer({ min: 50, max: 2_000 }),
      keepDays: fc.integer({ min: 1, max: 3_650 }),
      storedDays: fc.nat(4_000),
    }),
    { maxLength: 8 },
  );
  fc.assert(
    fc.property(some, fc.nat(1e12), (streams, free) => {
      const empty = streams.map((s) => ({ ...s, storedDays: 0 }));
      expect(growthAfter(empty, 3_660)).toBeCloseTo(steadyBytes(streams), -3);
      const days = fullInDays(streams, free);
      if (days === null) expect(growthAfter(streams, 3_660)).toBeLessThanOrEqual(free);
      else if (days > 0) {
        expect(growthAfter(streams, days)).toBeGreaterThan(free);
        expect(growthAfter(streams, days - 1)).toBeLessThanOrEqual(free);
      }
    }),
  );
});

test("questions ask by filters that can be read, of kinds there are", () => {
  for (const q of INTAKE_QUESTIONS) {
    expect({ q: q.asks, ok: parseFilter(q.filter, { zone: "UTC" }).ok }).toEqual({ q: q.asks, ok: true });
    expect(q.kinds.every((k) => KINDS.includes(k))).toBe(true);
  }
  expect(new Set(DEVICE_KINDS.map((d) => d.name)).size).toBe(DEVICE_KINDS.length);
});

test.each<[want: string | null, records: readonly Parameters<typeof testRecord>[0][]]>([
  ["Windows machine", [{ kind: "windows" }]],
  ["Linux machine", [{ app: "sshd" }, { app: "systemd" }, { app: "postfix" }]],
  ["mail server", [{ app: "postfix" }, { app: "postfix" }, { app: "sshd" }]],
  ["network device", [{ text: "%LINK-3-UPDOWN: Interface ge0/1, changed state to down" }]],
  ["firewall", [{ app: "kernel", text: "DROP IN=eth0 OUT= MAC= SRC=203.0.113.9 DST=10.20.1.1" }]],
  ["flow exporter: a router, switch or firewall", [{ kind: "flow" }]],
  ["Example switch 24, release 7", [{ kind: "snmp", data: [["1.3.6.1.2.1.1.1.0", "Example switch 24, release 7"]] }]],
  ["device with SNMP", [{ kind: "snmp" }]],
  [null, [{ app: "ticketd" }]],
  [null, []],
])("%s by what it sent", (want, records) => {
  expect(guessFamily(records.map((r) => testRecord(r)))?.family ?? null).toBe(want);
});

test.each<[string, string | Uint8Array, string | null, string | null]>([
  ["RFC 5424 section 6.5, example 1", "<34>1 2003-10-11T22:14:15.003Z mymachine", "syslog", "syslog-udp"],
  ["counted octets (RFC 6587 section 3.4.1)", "71 <13>1 2003", "syslog with counted octets", "syslog-tcp"],
  [
    "a TLS record of a handshake (RFC 8446 section 5.1)",
    Uint8Array.of(0x16, 3, 1, 2, 0),
    "the beginning of a TLS connection",
    "syslog-tls",
  ],
  ["a request", "POST /json HTTP/1.1\r\n", "HTTP", "https"],
  ["gzip (RFC 1952)", Uint8Array.of(0x1f, 0x8b, 8), "something packed with gzip", "https"],
  ["an event", "<Event xmlns='x'>", "XML, such as events of Windows", "https"],
  ["JSON", '{"a":1}', "JSON", "https"],
  ["IPFIX (RFC 7011 section 3.1)", Uint8Array.of(0, 10, 0, 40), "IPFIX", "flow"],
  ["NetFlow 9 (RFC 3954)", Uint8Array.of(0, 9, 0, 4), "NetFlow version 9", "flow"],
  ["sFlow", Uint8Array.of(0, 0, 0, 5, 0, 0, 0, 1), "sFlow", "flow"],
  ["NetFlow 8", Uint8Array.of(0, 8, 0, 1), "NetFlow version 8, which is not read", null],
  ["an SNMP message of version 2c", Uint8Array.of(0x30, 0x2c, 2, 1, 1, 4, 6), "SNMP", "snmp"],
  ["a line without a priority", "Interface eth0 is down again", "plain text", "syslog-udp"],
  ["nothing that is known", Uint8Array.of(0xff, 0xfe, 0x12), null, null],
  ["nothing", new Uint8Array(), null, null],
])("%s at the wrong door", (_, octets, what, way) => {
  const bytes = typeof octets === "string" ? new TextEncoder().encode(octets) : octets;
  const likeness = looksLike(bytes);
  expect(likeness === null ? null : [likeness.what, likeness.way]).toEqual(what === null ? null : [what, way]);
});
