import { createSocket } from "node:dgram";
import { createConnection } from "node:net";
import { DEVICES, deviceAddress } from "./harness.js";

/** Sends messages of about 140 bytes at a steady rate from a hundred addresses, then prints what it sent. */
const [transport, port, perSecond, seconds] = [
  process.argv[2]!,
  Number(process.argv[3]),
  Number(process.argv[4]),
  Number(process.argv[5]),
];
/** "storm": all of it one fault, heard from one device. */
const storm = process.argv[6] === "storm";
const FAULT = "<38>1 %T dev sshd 2211 - - Failed password for root from 203.0.113.9 port %N ssh2";
const BODIES = [
  "<38>1 %T dev sshd 2211 - - Failed password for invalid user u%N from 203.0.113.%M port 51440 ssh2",
  "<134>1 %T dev filter - - - denied tcp 203.0.113.%M:51490 -> 198.51.100.4:22 policy edge-in-9 number %N",
  "<30>1 %T dev systemd 1 - - Started Session %N of User backup on this machine of the benchmark.",
  '<134>1 %T dev tickets 4471 SALE [sale@32473 terminal="%M" seats="2"] sold 2 to Lysgrund, sailing 12:40, number %N',
  "<190>1 %T dev wlan - - - client 02:00:5e:0e:da:f4 moved to office, signal -52 dBm, number %N",
];
let sent = 0;
let bytes = 0;
const line = (i: number) => {
  const text = (storm ? FAULT : BODIES[i % BODIES.length]!)
    .replace("%T", new Date().toISOString())
    .replace("%N", String(i))
    .replace("%M", String(i % 250));
  bytes += text.length;
  return text;
};

const send: ((i: number) => void)[] = [];
const closers: (() => void)[] = [];
const devices = storm ? 1 : DEVICES;
for (let d = 0; d < devices; d++) {
  if (transport === "udp") {
    const socket = createSocket("udp4");
    await new Promise<void>((r) => socket.bind({ address: deviceAddress(d) }, r));
    await new Promise<void>((r) => socket.connect(port, "127.0.0.1", r as () => void));
    send.push((i) => socket.send(line(i)));
    closers.push(() => socket.close());
  } else {
    const socket = createConnection({ host: "127.0.0.1", port, localAddress: deviceAddress(d) });
    await new Promise<void>((r) => socket.once("connect", r));
    send.push((i) => {
      const text = line(i);
      socket.write(`${text.length} ${text}`);
    });
    closers.push(() => socket.end());
  }
}

const started = performance.now();
await new Promise<void>((done) => {
  const timer = setInterval(() => {
    const elapsed = (performance.now() - started) / 1000;
    const due = Math.min(Math.floor(elapsed * perSecond), Math.floor(seconds * perSecond));
    while (sent < due) {
      send[sent % devices]!(sent);
      sent++;
    }
    if (elapsed >= seconds) {
      clearInterval(timer);
      done();
    }
  }, 5);
});
const tookSeconds = (performance.now() - started) / 1000;
await new Promise((r) => setTimeout(r, 500));
for (const close of closers) close();
console.log(JSON.stringify({ sent, bytes: bytes / sent, tookSeconds }));
