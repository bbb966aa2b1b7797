import { labelledHistory } from "../packages/server/src/testing/labelled.js";

/** Planted stories found, and findings outside of them, over days of demo history from fresh seeds. */
const days = Number(process.argv[2] ?? 2);
const runs = Number(process.argv[3] ?? 3);
for (let i = 0; i < runs; i++) {
  const seed = Math.floor(Math.random() * 1e9);
  const { records, planted, missed, outside, findings } = labelledHistory(seed, days, 113);
  console.log(
    `seed ${seed}: ${records.toLocaleString("en")} records, ${planted} stories planted, ${missed.length} missed; ${findings} findings, ${outside.length} outside the stories (${((outside.length / findings) * 100).toFixed(0)} %)`,
  );
  for (const line of [...missed.map((m) => `  missed ${m}`), ...outside.map((o) => `  outside ${o}`)])
    console.log(line);
}
