import { spawnSync } from "node:child_process";
import { createSocket } from "node:dgram";
import { runCommand } from "../packages/server/src/testing/roles.js";
import { deviceAddress, percentile, sayMachine, sendLoad, startBench } from "./harness.js";

/** Packet sent → in an API answer under load; the time rail and pages over a week of demo history. */
const LOAD_PER_SECOND = 5_000;
const PROBES = 100;
const FILTERS = [
  "",
  "severity at least error",
  "sender is vpn-1",
  "sender in group ships",
  "src is 203.0.113.9",
  "severity at least critical",
  "sender is fw-edge-a and severity at least notice",
  "time last 24 h",
];
const REPEATS = 25;

sayMachine();
const { instance, stop } = await startBench(["collector", "engine", "keeper", "web"]);
try {
  const token = (await runCommand(instance.env, ["token", "create", "bench"])).out.trim();
  const api = async (path: string) => {
    const started = performance.now();
    const answer = await fetch(`http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/api/v1${path}`, {
      headers: { authorization: `Bearer ${token}` },
    });
    const body = (await answer.json()) as { records: unknown[] };
    if (!answer.ok) throw new Error(JSON.stringify(body));
    return { body, ms: performance.now() - started };
  };

  const load = sendLoad(instance, "udp", LOAD_PER_SECOND, PROBES / 2 + 10);
  const socket = createSocket("udp4");
  await new Promise<void>((r) => socket.bind({ address: deviceAddress(0) }, r));
  await new Promise((r) => setTimeout(r, 5_000));
  const waits: number[] = [];
  for (let i = 0; i < PROBES; i++) {
    const word = `probe${process.pid}x${i}`;
    const started = performance.now();
    socket.send(`<13>1 - dev probe - ${word} - seen`, instance.config.HALVIK_SYSLOG_UDP_PORT, "127.0.0.1");
    const from = new Date(Date.now() - 10_000).toISOString();
    for (;;) {
      const { body } = await api(
        `/records?${new URLSearchParams({ filter: `app is probe and event is ${word}`, from, limit: "1" })}`,
      );
      if (body.records.length > 0) break;
    }
    waits.push(performance.now() - started);
    await new Promise((r) => setTimeout(r, 300));
  }
  socket.close();
  await load;
  console.log(
    `packet sent → in an API answer at ${LOAD_PER_SECOND} records/s (${PROBES} probes): p50 ${percentile(waits, 0.5).toFixed(0)} ms, p95 ${percentile(waits, 0.95).toFixed(0)} ms`,
  );

  const senders = await runCommand(instance.env, ["simulate", "senders"]);
  await runCommand(instance.env, ["senders", "import", "-"], senders.out);
  const imported = spawnSync(
    "sh",
    [
      "-c",
      "node packages/server/dist/halvik.js simulate history | node packages/server/dist/halvik.js import - --rules",
    ],
    { env: { ...instance.env, NODE_OPTIONS: "" }, encoding: "utf8" },
  );
  console.log(`history: ${imported.stdout.trim()}`);
  const week = { from: new Date(Date.now() - 7 * 86_400_000).toISOString(), to: new Date().toISOString() };
  const rail: number[] = [];
  for (let i = 0; i < REPEATS; i++)
    rail.push((await api(`/records/histogram?${new URLSearchParams({ ...week, buckets: "126" })}`)).ms);
  console.log(
    `time rail over 7 days: p50 ${percentile(rail, 0.5).toFixed(0)} ms, p95 ${percentile(rail, 0.95).toFixed(0)} ms`,
  );
  for (const filter of FILTERS) {
    const times: number[] = [];
    let n = 0;
    for (let i = 0; i < REPEATS; i++) {
      const { body, ms } = await api(`/records?${new URLSearchParams({ ...week, filter, limit: "100" })}`);
      times.push(ms);
      n = body.records.length;
    }
    console.log(
      `page of 100, filter “${filter}” (${n} records): p50 ${percentile(times, 0.5).toFixed(0)} ms, p95 ${percentile(times, 0.95).toFixed(0)} ms`,
    );
  }
} finally {
  await stop();
}
