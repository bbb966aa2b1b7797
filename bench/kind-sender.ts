import { createSocket } from "node:dgram";
import { deviceAddress } from "./harness.js";
import { flowDatagram, mixedDatagram, SENDERS } from "./mixed-load.js";

/** Sends records of one kind or of all at a steady rate from ten addresses, then prints how many records that was. */
const [mode, perSecond, seconds] = [process.argv[2]!, Number(process.argv[3]), Number(process.argv[4])];
const PORTS = JSON.parse(process.argv[5]!) as { syslog: number; snmp: number; flow: number };
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
      sockets[sender]!.send(d.payload, PORTS[d.protocol], "127.0.0.1");
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
