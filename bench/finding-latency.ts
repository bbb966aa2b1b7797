import { createSocket } from "node:dgram";
import { runCommand } from "../packages/server/src/testing/roles.js";
import { deviceAddress, percentile, sayMachine, sendLoad, startBench } from "./harness.js";

/** Packet sent → its finding in an answer of the API, with all shipped rules, under load. */
const perSecond = Number(process.argv[2] ?? 5_000);
const probes = Number(process.argv[3] ?? 60);
const RULE = `id: probe
name: Probe
kind: count
severity: notice
filter: app is probe
key: [event]
count: 1
windowSeconds: 60
title: "probe {event}"
clear: { by: hand }
`;

sayMachine();
const { instance, stop } = await startBench(["collector", "engine", "keeper", "web"]);
try {
  const token = (await runCommand(instance.env, ["token", "create", "bench"])).out.trim();
  await runCommand(instance.env, ["rules", "import", "-"], RULE);
  const load = sendLoad(instance, "udp", perSecond, probes * 1.2 + 15);
  load.catch(() => undefined);
  const socket = createSocket("udp4");
  await new Promise<void>((r) => socket.bind({ address: deviceAddress(0) }, r));
  await new Promise((r) => setTimeout(r, 8_000));
  const waits: number[] = [];
  for (let i = 0; i < probes; i++) {
    const word = `p${process.pid}x${i}`;
    const started = performance.now();
    socket.send(`<13>1 - dev probe - ${word} - seen`, instance.config.HALVIK_SYSLOG_UDP_PORT, "127.0.0.1");
    for (let there = false; !there; ) {
      const answer = await fetch(
        `http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/api/v1/incidents?state=open&limit=500`,
        { headers: { authorization: `Bearer ${token}` } },
      );
      const { incidents } = (await answer.json()) as { incidents: { title: string }[] };
      there = incidents.some((n) => n.title === `probe ${word}`);
      if (!there) await new Promise((r) => setTimeout(r, 20));
    }
    waits.push(performance.now() - started);
    await new Promise((r) => setTimeout(r, 300));
  }
  socket.close();
  console.log(
    `packet sent → finding in an API answer at ${perSecond} records/s (${probes} probes): p50 ${percentile(waits, 0.5).toFixed(0)} ms, p95 ${percentile(waits, 0.95).toFixed(0)} ms, longest ${Math.max(...waits).toFixed(0)} ms`,
  );
  await load;
} finally {
  await stop();
}
