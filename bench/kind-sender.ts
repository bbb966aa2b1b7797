import { createSocket } from "node:dgram";
import { DEVICES, FlowWriter, NotificationWriter, notify, ordinaryFlow, Random, Timeline } from "@halvik/simulator";
import { nodeSnmpCrypto } from "../packages/server/src/kernel/snmp-crypto.js";
import { deviceAddress } from "./harness.js";

/** Sends records of one kind or of all at a steady rate from ten addresses, then prints how many records that was. */
const [mode, perSecond, seconds] = [process.argv[2]!, Number(process.argv[3]), Number(process.argv[4])];
const PORTS = JSON.parse(process.argv[5]!) as { syslog: number; snmp: number; flow: number };
const SENDERS = 10;

interface Datagram {
  readonly port: number;
  readonly payload: Uint8Array;
  readonly records: number;
}

const r = new Random(1, "kind sender");
const exporters = ["core-orvane", "rt-orvane", "rt-lysgrund"].map((n) => DEVICES.find((d) => d.name === n)!);
const FLOWS = 24;

/** Flow datagrams are written as they are sent: their sequence numbers must go on. */
const writers = Array.from({ length: SENDERS }, () => new FlowWriter());
const flows = exporters.map((e) => Array.from({ length: 200 }, () => ordinaryFlow(e, r, 0)));
function flowDatagram(sender: number, n: number): Datagram {
  const which = sender % exporters.length;
  const nowUs = Date.now() * 1000;
  const at = (n * 7) % (200 - FLOWS);
  const part = flows[which]!.slice(at, at + FLOWS).map((f) => ({ ...f, endUs: nowUs - 1_000_000 }));
  return { port: PORTS.flow, payload: writers[sender]!.write(exporters[which]!, part, nowUs)[0]!, records: FLOWS };
}

const timeline = new Timeline({ seed: 1, storyEveryMinutes: 2, rate: 4 }, nodeSnmpCrypto);
const lines = Array.from({ length: 40 }, (_, i) => timeline.minute(29_760_000 + i * 60))
  .flat()
  .filter((s) => s.protocol === "syslog")
  .map((s) => s.payload);
const notifications = new NotificationWriter(nodeSnmpCrypto);
const v2c = DEVICES.find((d) => d.name === "sw-orvane-2")!;

function mixedDatagram(sender: number, n: number): Datagram {
  // by records: about half flows, two fifths syslog (a third of it firewall decisions), the rest notifications
  const kind = n % 22;
  if (kind === 0) return flowDatagram(sender, n);
  if (kind === 1)
    return {
      port: PORTS.snmp,
      payload: notifications.write(v2c, notify.link(n % 24, `ge0/${n % 24}`, n % 2 === 0), Date.now() * 1000),
      records: 1,
    };
  return { port: PORTS.syslog, payload: lines[n % lines.length]!, records: 1 };
}

const sockets = await Promise.all(
  Array.from({ length: SENDERS }, async (_, i) => {
    const socket = createSocket("udp4");
    await new Promise<void>((done) => socket.bind({ address: deviceAddress(i) }, done));
    return socket;
  }),
);
let sent = 0;
let datagrams = 0;
let octets = 0;
const started = performance.now();
await new Promise<void>((done) => {
  const timer = setInterval(() => {
    const elapsed = (performance.now() - started) / 1000;
    const due = Math.min(elapsed, seconds) * perSecond;
    while (sent < due) {
      const sender = datagrams % SENDERS;
      const d = mode === "flow" ? flowDatagram(sender, datagrams) : mixedDatagram(sender, datagrams);
      sockets[sender]!.send(d.payload, d.port, "127.0.0.1");
      sent += d.records;
      octets += d.payload.length;
      datagrams++;
    }
    if (elapsed >= seconds) {
      clearInterval(timer);
      done();
    }
  }, 5);
});
await new Promise((done) => setTimeout(done, 500));
for (const socket of sockets) socket.close();
console.log(JSON.stringify({ sent, datagrams, octets, tookSeconds: (performance.now() - started) / 1000 - 0.5 }));
