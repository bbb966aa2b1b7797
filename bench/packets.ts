import { cpus } from "node:os";
import { PacketReader } from "@halvik/core/decode/packets";
import { dns, FLAG, ipv4, RAW_IP, TestConnection, udp } from "../packages/core/src/testing/packets.js";

/**
 * What packets say, read on one core: `node scripts/bench.mjs packets [mutated]`. First conversations as they are: questions of DNS, requests of
 * HTTP with bodies; then as many mutated packets, which must neither end it nor fill it.
 */
const MUTATED = Number(process.argv[2] ?? 1_000_000);
const { ack } = FLAG;
const [CLIENT, SERVER, RESOLVER] = ["10.20.1.20", "203.0.113.9", "10.20.1.1"];
const T = 1.7e15;

function conversation(): Uint8Array[] {
  const c = new TestConnection({ address: CLIENT, port: 40_000 }, { address: SERVER, port: 80 });
  const question = { id: 7, name: "www.orvane.example" };
  return [
    ipv4(CLIENT, RESOLVER, 17, udp(40_000, 53, dns(question))),
    ipv4(
      RESOLVER,
      CLIENT,
      17,
      udp(53, 40_000, dns({ ...question, code: 0, answers: [{ type: 1, data: Uint8Array.of(203, 0, 113, 9) }] })),
    ),
    ...c.handshake(),
    c.send("client", ack, "GET / HTTP/1.1\r\nHost: www.orvane.example\r\nUser-Agent: bench\r\n\r\n"),
    c.send("server", ack, "HTTP/1.1 200 OK\r\nContent-Length: 14000\r\nContent-Type: text/html\r\n\r\n"),
    ...Array.from({ length: 10 }, () => c.send("server", ack, new Uint8Array(1_400))),
    ...c.goodbye(),
  ];
}
/** The same packet of another client. */
function of(packet: Uint8Array, n: number): Uint8Array {
  const other = packet.slice();
  other.set([10, n >> 16, n >> 8, n], packet[12] === 10 ? 12 : 16);
  return other;
}

const packets = conversation();
console.log(`${cpus().length} × ${cpus()[0]?.model}; ${packets.length} packets a conversation`);
for (let run = 0; run < 3; run++) {
  const reader = new PacketReader({ keepsQueries: false });
  let observations = 0;
  const conversations = Array.from({ length: 2_000 }, (_, i) => packets.map((p) => of(p, i)));
  const started = performance.now();
  let n = 0;
  for (let round = 0; round < 10; round++)
    for (const c of conversations)
      for (const p of c) {
        reader.add(T + n++ * 50, RAW_IP, p);
        observations += reader.take().length;
      }
  const seconds = (performance.now() - started) / 1000;
  console.log(`${Math.round(n / seconds).toLocaleString("en")} packets/s; ${observations} told of`);
}

let state = 5;
const next = (most: number) => {
  state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0;
  return (state >>> 8) % most;
};
const reader = new PacketReader({ keepsQueries: false });
let [read, refused, observations, slowest] = [0, 0, 0, 0];
const started = performance.now();
for (let i = 0; i < MUTATED; i++) {
  const frame = packets[next(packets.length)]!.slice();
  for (let n = next(4); n > 0; n--) frame[next(next(4) === 0 ? frame.length : 60)] = next(256);
  const before = performance.now();
  try {
    reader.add(T + i * 1_000, RAW_IP, frame);
    read++;
  } catch (e) {
    if ((e as { code?: string }).code === undefined) throw e;
    refused++;
  }
  slowest = Math.max(slowest, performance.now() - before);
  observations += reader.take().length;
}
observations += reader.end().length;
console.log(
  `${MUTATED} mutated: ${read} read, ${refused} refused, ${observations} told of, ${reader.evicted} given up, in ${((performance.now() - started) / 1000).toFixed(1)} s, the slowest ${slowest.toFixed(0)} ms, ${Math.round(process.memoryUsage().rss / 1e6)} MB`,
);
