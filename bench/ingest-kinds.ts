import { spawn } from "node:child_process";
import { createServer as createHttpServer } from "node:http";
import { type AddressInfo, createServer as createTcpServer } from "node:net";
import { Forward } from "@halvik/core/forward";
import type pg from "pg";
import { addArrivalRule } from "../packages/server/src/domains/arrival/repository.js";
import { addFormat } from "../packages/server/src/domains/formats/repository.js";
import { addForward } from "../packages/server/src/domains/forwarding/repository.js";
import { flowsBehind } from "../packages/server/src/store/traffic/sum-flows.js";
import { dropping, fiftyFilters, TEN_FORMATS } from "./arrival-set.js";
import { connect, sayMachine, settle, startBench, usage } from "./harness.js";

/**
 * Full path of flows, or of all kinds mixed, at a rate for a time: decode, normalise, indexes, rollups, rules; with a fifth argument `deciding` also 50 rules of arrival, 10 formats of
 * one's own and two forwards, of syslog over TCP and of lines of JSON over HTTP, whose receivers run here.
 */
const mode = process.argv[2] ?? "flow";
const perSecond = Number(process.argv[3] ?? 60_000);
const seconds = Number(process.argv[4] ?? 30);
const runs = Number(process.argv[5] ?? 1);
/** So long it is waited for sums of traffic. */
const MOST_SUMMING_MS = 240_000;
const isDeciding = process.argv[6] === "deciding";

/** Receivers that take whatever comes. */
async function receivers(): Promise<{
  tcp: number;
  http: number;
  got: { octets: number; lines: number };
  stop: () => void;
}> {
  const got = { octets: 0, lines: 0 };
  const tcp = createTcpServer((socket) =>
    socket.on("data", (b) => (got.octets += b.length)).on("error", () => undefined),
  );
  const http = createHttpServer((req, res) => {
    req.on("data", (b: Buffer) => {
      for (const octet of b) if (octet === 10) got.lines++;
    });
    req.on("end", () => res.writeHead(200).end());
  });
  await Promise.all([tcp, http].map((s) => new Promise<void>((done) => s.listen(0, "127.0.0.1", done))));
  const port = (s: { address: () => unknown }) => (s.address() as AddressInfo).port;
  return {
    tcp: port(tcp),
    http: port(http),
    got,
    stop: () => {
      tcp.close();
      http.close();
    },
  };
}

async function decide(client: pg.Client, ports: { tcp: number; http: number }): Promise<void> {
  const nowUs = Date.now() * 1_000;
  const names = Array.from({ length: 50 }, (_, i) => `dev-${i}`);
  for (const [i, filter] of fiftyFilters(names).entries())
    await addArrivalRule(client, { ...dropping(filter, i), does: "mark", tag: "met" }, "bench", nowUs);
  for (const format of TEN_FORMATS) await addFormat(client, format, "bench", nowUs);
  const forwards = [
    {
      name: "lines",
      filter: "kind is syslog",
      way: { is: "syslog", host: "127.0.0.1", port: ports.tcp, transport: "tcp" },
    },
    { name: "json", filter: "severity at least error", way: { is: "json", url: `http://127.0.0.1:${ports.http}/` } },
  ];
  for (const forward of forwards) await addForward(client, Forward.parse(forward), "", "bench", nowUs);
}

sayMachine();
for (let run = 1; run <= runs; run++) {
  const { instance, stop, collector, processor } = await startBench(["collector", "engine", "keeper", "web"]);
  const client = await connect(instance);
  try {
    const { config } = instance;
    // these benches have no need of one that was admitted
    await client.query("update endpoint_config set settings = settings - 'communities' where kind = 'snmp'");
    const receiving = isDeciding ? await receivers() : null;
    if (receiving !== null) {
      await decide(client, receiving);
      // a change holds within a second
      await new Promise((r) => setTimeout(r, 3_000));
    }
    const ports = {
      syslog: config.HALVIK_SYSLOG_UDP_PORT,
      snmp: config.HALVIK_SNMP_PORT,
      flow: config.HALVIK_IPFIX_PORT,
    };
    const memory: number[] = [];
    const timer = setInterval(() => memory.push(usage(collector.child.pid!).nowMb), 5_000);
    const before = processor();
    const load = await new Promise<{ sent: number; datagrams: number; octets: number; tookSeconds: number }>(
      (done, failed) => {
        const child = spawn(
          process.execPath,
          ["--import", "tsx", "bench/kind-sender.ts", mode, String(perSecond), String(seconds), JSON.stringify(ports)],
          {
            stdio: ["ignore", "pipe", "inherit"],
            env: { ...process.env, NODE_OPTIONS: "" },
          },
        );
        let out = "";
        child.stdout.on("data", (b: Buffer) => {
          out += b.toString();
        });
        child.once("exit", (code) =>
          code === 0 ? done(JSON.parse(out)) : failed(new Error(`the sender ended with ${code}`)),
        );
      },
    );
    clearInterval(timer);
    const atEndMs = performance.now();
    const stored = await settle(client);
    const taken = [...processor()].map(([who, seconds]) => [who, seconds - before.get(who)!] as const);
    const { cpuSeconds, peakMb } = usage(collector.child.pid!);
    const status = await client.query<{ detail: Record<string, number> }>(
      "select detail from role_status where role = 'collector'",
    );
    const { detail } = status.rows[0]!;
    const size = await client.query<{ shape: string; bytes: number; rows: number }>(
      "select shape, sum(pg_total_relation_size('segments.' || name))::bigint as bytes, sum(rows)::bigint as rows from segment group by shape",
    );
    console.log(
      `run ${run}: ${mode}, ${perSecond}/s for ${seconds} s in ${load.datagrams} datagrams of ${Math.round(load.octets / load.datagrams)} bytes: sent ${load.sent} records, stored ${stored}, lost ${load.sent - stored}; ` +
        `settled ${Math.max(0, (performance.now() - atEndMs) / 1000 - 6).toFixed(0)} s after the end; spooled ${detail.spooled} datagrams; sequence gaps ${detail["sequence gaps"]}; collector ${((cpuSeconds / load.sent) * 1e6).toFixed(1)} µs of processor a record, ${peakMb.toFixed(0)} MB at most, by 5 s ${memory.map((m) => m.toFixed(0)).join(" ")}`,
    );
    console.log(
      `  processor, µs a record: ${taken.map(([who, s]) => `${who} ${((s / load.sent) * 1e6).toFixed(0)}`).join(", ")}; all ${((taken.reduce((sum, [, s]) => sum + s, 0) / load.sent) * 1e6).toFixed(0)}`,
    );
    if (mode === "flow") {
      while ((await flowsBehind(client)) > 0 && performance.now() - atEndMs < MOST_SUMMING_MS)
        await new Promise((r) => setTimeout(r, 1_000));
      const behind = await flowsBehind(client);
      const after = ((performance.now() - atEndMs) / 1_000).toFixed(0);
      console.log(`  summed for Traffic ${behind > 0 ? `but ${behind} or more` : "all"}, ${after} s after the end`);
    }
    if (receiving !== null) {
      const left = await client.query<{ queued: number; sent: number; refused: number; lost: number }>(
        "select sum(queued_bytes)::float8 as queued, sum(sent)::float8 as sent, sum(refused)::float8 as refused, sum(lost)::float8 as lost from forward_state",
      );
      console.log(`  passed on: ${JSON.stringify(receiving.got)}; ${JSON.stringify(left.rows[0])}`);
      receiving.stop();
    }
    for (const s of size.rows)
      console.log(`  ${s.shape}: ${s.rows} rows, ${(s.bytes / s.rows).toFixed(0)} bytes each with indexes`);
  } finally {
    await client.end();
    await stop();
  }
}
