import { cpus } from "node:os";
import { findDecision } from "@halvik/core/decode/firewall";
import { FlowDecoder } from "@halvik/core/decode/flow";
import { UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import { Meanings } from "@halvik/core/meaning";
import { flowRecord, snmpRecord, syslogRecord, windowsRecord } from "@halvik/core/normalise";
import {
  DEVICES,
  eventXml,
  FlowWriter,
  NotificationWriter,
  notify,
  ordinaryEvent,
  ordinaryFlow,
  Random,
  Timeline,
  USM,
} from "@halvik/simulator";
import { nodeSnmpCrypto } from "../packages/server/src/kernel/snmp-crypto.js";

/** Decode into records on one core, kind by kind: from the bytes a device sends to the record's columns. */
const RUNS = 5;
const AT = 29_760_000 * 60e6;
const r = new Random(1, "bench");
const meanings = new Meanings();
const device = (name: string) => DEVICES.find((d) => d.name === name)!;
const users = new UsmUsers([usmUser(nodeSnmpCrypto, USM)], nodeSnmpCrypto);
const encoder = new TextEncoder();

/** One round: how many records came of it. */
type Round = () => number;

function flowsOf(name: string, datagrams: number): Round {
  const exporter = device(name);
  const writer = new FlowWriter();
  // one minute after another, so that templates come as often as they do in practice
  const sent = Array.from({ length: datagrams }, (_, i) =>
    writer.write(
      exporter,
      Array.from({ length: 24 }, () => ordinaryFlow(exporter, r, AT)),
      AT + i * 60e6,
    ),
  ).flat();
  return () => {
    const decoder = new FlowDecoder();
    let n = 0;
    for (const bytes of sent) {
      const d = decoder.decode(bytes, exporter.alias, AT);
      for (const f of d.records) {
        flowRecord(f, { receivedUs: AT, clockOffsetUs: 0, domain: d.domain, sequence: d.sequence });
        n++;
      }
    }
    return n;
  };
}

function notificationsOf(name: string): Round {
  const writer = new NotificationWriter(nodeSnmpCrypto);
  const sent = Array.from({ length: 5_000 }, (_, i) =>
    writer.write(device(name), notify.link(i % 24, `ge0/${i % 24}`, i % 2 === 0), AT),
  );
  return () => {
    for (const bytes of sent) snmpRecord(bytes, { receivedUs: AT, users, meanings });
    return sent.length;
  };
}

const events = Array.from({ length: 5_000 }, (_, i) =>
  encoder.encode(eventXml(device("dc-1"), ordinaryEvent(r), AT, i)),
);
const timeline = new Timeline({ seed: 1, storyEveryMinutes: 2, rate: 6 }, nodeSnmpCrypto);
const firewallLines = Array.from({ length: 60 }, (_, i) => timeline.minute(29_760_000 + i * 60))
  .flat()
  .filter((s) => s.protocol === "syslog" && s.device.role === "firewall")
  .map((s) => s.payload);

const decisions = firewallLines.map(
  (l) => syslogRecord(l, { receivedUs: AT, zone: "UTC", clockOffsetUs: 0 }).content.text,
);

const rounds: readonly (readonly [name: string, aim: number, round: Round])[] = [
  ["NetFlow v9 records", 600_000, flowsOf("rt-orvane", 2_000)],
  ["IPFIX records", 600_000, flowsOf("core-orvane", 2_000)],
  ["NetFlow v5 records", 600_000, flowsOf("rt-lysgrund", 2_000)],
  ["sFlow samples", 150_000, flowsOf("sw-orvane-1", 1_000)],
  ["SNMP v2c notifications", 60_000, notificationsOf("sw-orvane-2")],
  ["SNMP v3 authPriv (SHA-256, AES-128)", 15_000, notificationsOf("rt-orvane")],
  [
    `Windows events of ${Math.round(events.reduce((n, e) => n + e.length, 0) / events.length)} bytes`,
    12_000,
    () => {
      for (const e of events) windowsRecord(e, { receivedUs: AT, clockOffsetUs: 0, meanings });
      return events.length;
    },
  ],
  [
    "firewall decisions alone, without the syslog around them",
    200_000,
    () => {
      for (const l of decisions) findDecision(l);
      return decisions.length;
    },
  ],
  [
    `firewall lines of ${Math.round(firewallLines.reduce((n, l) => n + l.length, 0) / firewallLines.length)} bytes in syslog, normalised`,
    200_000,
    () => {
      for (const l of firewallLines) syslogRecord(l, { receivedUs: AT, zone: "UTC", clockOffsetUs: 0, meanings });
      return firewallLines.length;
    },
  ],
];

console.log(
  `${cpus()[0]?.model}, Node ${process.version}; records a second, ${RUNS} runs of about a second after a warm-up`,
);
for (const [name, aim, round] of rounds) {
  const rates: number[] = [];
  for (let run = 0; run <= RUNS; run++) {
    const started = performance.now();
    let n = 0;
    while (performance.now() - started < 1_000) n += round();
    if (run > 0) rates.push(Math.round(n / ((performance.now() - started) / 1_000)));
  }
  console.log(`${name} (aim ${aim.toLocaleString("en")}): ${rates.map((x) => x.toLocaleString("en")).join(", ")}`);
}
