import { DecodeError } from "@halvik/core/base/bytes";
import { DecisionColumns, findDecision } from "@halvik/core/decode/firewall";
import { FlowDecoder } from "@halvik/core/decode/flow";
import { JsonRecords } from "@halvik/core/decode/json";
import { readMessage, UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import { readEvents } from "@halvik/core/decode/windows";
import { Meanings } from "@halvik/core/meaning";
import { jsonRecord, snmpRecord, syslogRecord, windowsRecord } from "@halvik/core/normalise";
import {
  DEVICES,
  eventXml,
  FlowWriter,
  NotificationWriter,
  notify,
  ordinaryEvent,
  ordinaryFlow,
  Random,
  USM,
} from "@halvik/simulator";
import { nodeSnmpCrypto } from "../packages/server/src/kernel/snmp-crypto.js";

/** A million damaged inputs for each decoder: cut, bits flipped, bytes put in, noise. Anything but a reason ends the run. */
const INPUTS = Number(process.argv[2] ?? 1_000_000);
/** Only decoders whose name holds this. */
const ONLY = process.argv[3] ?? "";
const AT = 29_760_000 * 60e6;
const r = new Random(3, "malformed");
const meanings = new Meanings();
const device = (name: string) => DEVICES.find((d) => d.name === name)!;
const text = new TextEncoder();
const users = new UsmUsers([usmUser(nodeSnmpCrypto, USM)], nodeSnmpCrypto);
const notifications = new NotificationWriter(nodeSnmpCrypto);
const flows = new FlowWriter();

const flowsOf = (name: string) =>
  Array.from({ length: 20 }, (_, i) =>
    flows.write(
      device(name),
      Array.from({ length: 8 }, () => ordinaryFlow(device(name), r, AT)),
      AT + i * 60e6,
    ),
  ).flat();
const decoder = new FlowDecoder();
const rejects = (work: () => unknown): void => {
  try {
    work();
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
  }
};

const decoders: readonly (readonly [name: string, valid: readonly Uint8Array[], decode: (b: Uint8Array) => void])[] = [
  [
    "flows of four protocols",
    ["rt-orvane", "core-orvane", "rt-lysgrund", "sw-orvane-1"].flatMap(flowsOf),
    (b) => rejects(() => decoder.decode(b, "10.0.0.1", AT)),
  ],
  [
    "SNMP v1, v2c",
    ["ups-torvika", "sw-orvane-2"].map((n) => notifications.write(device(n), notify.onBattery(9, 9), AT)),
    (b) => rejects(() => readMessage(b)),
  ],
  [
    "SNMP v3",
    [notifications.write(device("rt-orvane"), notify.bgpLost("10.0.0.1"), AT)],
    (b) => void snmpRecord(b, { receivedUs: AT, users, meanings }),
  ],
  [
    "Windows events",
    Array.from({ length: 20 }, (_, i) => text.encode(eventXml(device("dc-1"), ordinaryEvent(r), AT, i))),
    (b) => {
      windowsRecord(b, { receivedUs: AT, clockOffsetUs: 0, meanings });
      for (const _ of readEvents(new TextDecoder().decode(b)));
    },
  ],
  [
    "firewall lines",
    [
      "ACCEPT IN=eth0 OUT= SRC=10.0.0.1 DST=10.0.0.2 LEN=60 PROTO=TCP SPT=1 DPT=2 SYN",
      "rule 12/0(match): block in on em0: 203.0.113.9.51234 > 192.0.2.1.22: Flags [S]",
      'action=deny srcip=10.0.0.1 dstip=10.0.0.2 msg="a b"',
    ].map((l) => text.encode(l)),
    (b) => {
      const line = new TextDecoder().decode(b);
      findDecision(line);
      const columns = DecisionColumns.fromHeader(line);
      if (columns) rejects(() => columns.row(line));
    },
  ],
  [
    "syslog",
    [
      text.encode('<34>1 2026-11-24T10:00:00.003Z h app 1 ID [a@32473 b="c\\""] text'),
      text.encode("<13>Nov 24 10:00:00 h app[1]: text"),
    ],
    (b) => void syslogRecord(b, { receivedUs: AT, zone: "UTC", clockOffsetUs: 0 }),
  ],
  [
    "JSON",
    [text.encode('{"message":"a","src":"10.0.0.1","n":[1,{"x":null}]}')],
    (b) => {
      const records = new JsonRecords();
      for (const item of [...records.push(new TextDecoder().decode(b)), ...records.end()])
        if ("json" in item)
          jsonRecord(text.encode(item.json), { receivedUs: AT, clockOffsetUs: 0, mapping: { src: "src" }, meanings });
    },
  ],
];

function damage(valid: Uint8Array): Uint8Array {
  const kind = r.int(0, 9);
  if (kind === 0) return Uint8Array.from({ length: r.int(0, 200) }, () => r.int(0, 255));
  if (kind < 4) return valid.slice(0, r.int(0, valid.length));
  const out = valid.slice();
  for (let i = r.int(1, 6); i > 0; i--) out[r.int(0, out.length - 1)]! ^= 1 << r.int(0, 7);
  if (kind > 7) {
    const at = r.int(0, out.length);
    return Uint8Array.from([
      ...out.subarray(0, at),
      ...Array.from({ length: r.int(1, 8) }, () => r.int(0, 255)),
      ...out.subarray(at),
    ]);
  }
  return out;
}

for (const [name, valid, decode] of decoders.filter(([name]) => name.includes(ONLY))) {
  let slowestMs = 0;
  const started = performance.now();
  const before = process.memoryUsage().rss / 1e6;
  for (let i = 0; i < INPUTS; i++) {
    const input = damage(r.pick(valid));
    const at = performance.now();
    decode(input);
    slowestMs = Math.max(slowestMs, performance.now() - at);
  }
  console.log(
    `${name}: ${INPUTS.toLocaleString("en")} inputs in ${((performance.now() - started) / 1000).toFixed(0)} s, no crash; slowest ${slowestMs.toFixed(1)} ms; memory ${before.toFixed(0)} → ${(process.memoryUsage().rss / 1e6).toFixed(0)} MB`,
  );
}
