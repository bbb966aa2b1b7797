import { cpus } from "node:os";
import { syslogRecord } from "@halvik/core/normalise";
import { Timeline } from "@halvik/simulator";
import { nodeSnmpCrypto } from "../packages/server/src/kernel/snmp-crypto.js";

/** Decode and normalise alone, entities included: the demo's own mix of messages, one core. */
const RUNS = 5;
const LINES = 400_000;
const timeline = new Timeline({ seed: 1, storyEveryMinutes: 2, rate: 4 }, nodeSnmpCrypto);
const lines = Array.from({ length: 60 }, (_, i) => timeline.minute(29_760_000 + i * 60))
  .flat()
  .filter((s) => s.protocol === "syslog")
  .map((s) => s.payload);
const context = { receivedUs: 29_760_000 * 60e6, zone: "Europe/Oslo", clockOffsetUs: 0 };
const bytes = lines.reduce((sum, l) => sum + l.length, 0) / lines.length;

console.log(
  `${cpus()[0]?.model}, Node ${process.version}; ${lines.length} different lines of ${bytes.toFixed(0)} bytes on average`,
);
for (let run = 1; run <= RUNS; run++) {
  const started = performance.now();
  for (let i = 0; i < LINES; i++) syslogRecord(lines[i % lines.length]!, context);
  const seconds = (performance.now() - started) / 1000;
  console.log(
    `run ${run}${run === 1 ? " (warm-up)" : ""}: ${Math.round(LINES / seconds).toLocaleString("en")} lines/s`,
  );
}
