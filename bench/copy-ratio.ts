import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { syslogRecord } from "@halvik/core/normalise";
import { from as copyFrom } from "pg-copy-streams";
import { CopyEncoder } from "../packages/server/src/store/copy-binary.js";
import { COPY_COLUMNS, COPY_TYPES, RECORD_COLUMNS } from "../packages/server/src/store/record-columns.js";
import { connect, sayMachine, sendLoad, settle, startBench } from "./harness.js";

/** Binary COPY of like rows into a bare table by one client in the collector's batch size, on the otherwise idle machine. */
const ROWS = 300_000;
const BATCH = 5_000;
const SECONDS = 20;
const RUNS = Number(process.argv[3] ?? 3);

sayMachine();
for (let run = 1; run <= RUNS; run++) {
  const bare = await bareCopy();
  const full = await fullPath();
  console.log(
    `run ${run}: bare COPY ${Math.round(bare).toLocaleString("en")} rows/s; full path over TCP (which slows its senders down) ${Math.round(full).toLocaleString("en")} records/s; ratio ${(full / bare).toFixed(2)}`,
  );
}

async function bareCopy(): Promise<number> {
  const { instance, stop } = await startBench([]);
  const client = await connect(instance);
  try {
    await client.query(`create table bare (${RECORD_COLUMNS.map((c) => `${c.name} ${c.sql}`).join(", ")})`);
    const line = new TextEncoder().encode(
      "<38>1 2026-11-24T10:00:00.000Z dev sshd 2211 - - Failed password for invalid user u1 from 203.0.113.7 port 51440 ssh2",
    );
    const { content } = syslogRecord(line, { receivedUs: 1.7e15, zone: "UTC", clockOffsetUs: 0 });
    const batches = Array.from({ length: ROWS / BATCH }, (_, b) => {
      const encoder = new CopyEncoder(COPY_TYPES);
      for (let i = 0; i < BATCH; i++) {
        const stored = {
          id: { us: 1.7e15 + b * BATCH + i, collector: 1 },
          sender: 1,
          endpoint: "syslog over UDP",
          copyOf: null,
          content,
        };
        encoder.row(RECORD_COLUMNS.map((c) => c.value(stored)));
      }
      return encoder.finish();
    });
    const started = performance.now();
    for (const batch of batches)
      await pipeline(
        Readable.from([batch]),
        client.query(copyFrom(`copy bare (${COPY_COLUMNS}) from stdin (format binary)`)),
      );
    return ROWS / ((performance.now() - started) / 1000);
  } finally {
    await client.end();
    await stop();
  }
}

async function fullPath(): Promise<number> {
  const { instance, stop } = await startBench(["collector", "engine", "keeper", "web"]);
  const client = await connect(instance);
  try {
    const started = performance.now();
    const load = await sendLoad(instance, "tcp", Number(process.argv[2] ?? 60_000), SECONDS);
    const stored = await settle(client);
    if (stored !== load.sent) console.log(`  sent ${load.sent}, stored ${stored}`);
    return stored / ((performance.now() - started - 3_000) / 1000);
  } finally {
    await client.end();
    await stop();
  }
}
