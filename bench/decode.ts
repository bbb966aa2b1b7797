import { cpus } from "node:os";
import { syslogRecord } from "@halvik/core/normalise";
import { minuteOf } from "@halvik/simulator";

/** Decode and normalise alone, entities included: the demo's own mix of messages, one core. */
const RUNS = 5;
const LINES = 400_000;
const encoder = new TextEncoder();
const lines = Array.from({ length: 60 }, (_, i) =>
  minuteOf(29_760_000 + i * 60, { seed: 1, storyEveryMinutes: 2, rate: 4 }),
)
  .flat()
  .map((s) => encoder.encode(s.line));
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
