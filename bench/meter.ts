import { cpus } from "node:os";
import { FlowMeter, readHeaders } from "@halvik/core/decode/meter";

/**
 * Packets into flows on one core: `node scripts/bench.mjs meter [flows]`. So many conversations go on at once, each of packets both ways by
 * turns; of each packet the headers are read and counted.
 */
const FLOWS = Number(process.argv[2] ?? 20_000);
const PACKETS = 2_000_000;
const ETHERNET = 1;

function packet(flow: number, isBack: boolean): Uint8Array {
  const frame = new Uint8Array(74);
  const view = new DataView(frame.buffer);
  view.setUint16(12, 0x0800);
  view.setUint8(14, 0x45);
  view.setUint16(16, 60);
  view.setUint8(23, 6);
  const [a, b] = [0x0a14_0000 + (flow & 0xffff), 0xcb00_7100 + (flow % 200)];
  const [port, service] = [20_000 + (flow % 40_000), 443];
  view.setUint32(26, isBack ? b : a);
  view.setUint32(30, isBack ? a : b);
  view.setUint16(34, isBack ? service : port);
  view.setUint16(36, isBack ? port : service);
  view.setUint8(46, 0x50);
  view.setUint8(47, 16);
  return frame;
}

const frames = Array.from({ length: FLOWS }, (_, i) => [packet(i, false), packet(i, true)] as const);
console.log(`${cpus().length} × ${cpus()[0]?.model}; ${FLOWS} conversations at once`);
for (let run = 0; run < 5; run++) {
  const meter = new FlowMeter();
  let told = 0;
  const started = performance.now();
  for (let i = 0; i < PACKETS; i++) {
    const frame = frames[i % FLOWS]![Math.floor(i / FLOWS) & 1]!;
    meter.add(1.7e15 + i * 10, readHeaders(ETHERNET, frame)!);
    told += meter.take().length;
  }
  told += meter.end().length;
  const seconds = (performance.now() - started) / 1000;
  console.log(`${Math.round(PACKETS / seconds).toLocaleString("en")} packets/s; ${told} flows told of`);
}
