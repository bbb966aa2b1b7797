import { LATENESS_US, type Rule, RuleEngine, SHIPPED_RULES } from "@halvik/core/correlation";
import type { HalvikRecord } from "@halvik/core/record";
import { testRecord } from "../packages/core/src/testing/record.js";
import { DemoRecords } from "../packages/server/src/testing/demo-records.js";
import { sayMachine } from "./harness.js";

/** The engine alone, one core: records a second with the shipped rules and with 500; memory of a million keys; start from a checkpoint. */
const minutes = Number(process.argv[2] ?? 600);
const runs = Number(process.argv[3] ?? 3);
const FIRST = 29_300_000;
const BATCH = 2_000;

sayMachine();
const demo = new DemoRecords({ seed: 9, rate: 4, storyEveryMinutes: 149 });
const records: HalvikRecord[] = [];
for (let m = FIRST; m < FIRST + minutes; m++) records.push(...demo.minute(m));

function run(rules: readonly Rule[]): { perSecond: number; findings: number; engine: RuleEngine } {
  const engine = new RuleEngine(rules, demo.directory, { zone: "UTC" });
  let findings = 0;
  const started = performance.now();
  for (let i = 0; i < records.length; i += BATCH) {
    const batch = records.slice(i, i + BATCH);
    const { episodes } = engine.step("live", batch, batch[batch.length - 1]!.receivedUs - LATENESS_US);
    for (const e of episodes) if (e.final) findings++;
  }
  return { perSecond: (records.length / (performance.now() - started)) * 1_000, findings, engine };
}

const share = SHIPPED_RULES.length;
const many = Array.from({ length: 500 }, (_, i): Rule => {
  const rule = SHIPPED_RULES[i % share]!;
  return { ...rule, id: `${rule.id}-${i}`.slice(0, 62) };
});
console.log(`${records.length} records of all kinds over ${minutes} min, in batches of ${BATCH}`);
for (const [name, rules] of [
  [`${share} shipped rules`, SHIPPED_RULES],
  ["500 rules", many],
] as const) {
  const figures = Array.from({ length: runs }, () => run(rules));
  console.log(
    `${name}: ${figures.map((f) => Math.round(f.perSecond).toLocaleString("en")).join(", ")} records/s; ${figures[0]!.findings} findings ended`,
  );
}
for (const rule of SHIPPED_RULES) {
  if (process.argv[4] !== "each") break;
  console.log(`${rule.id}: ${Math.round(run([rule]).perSecond).toLocaleString("en")} records/s`);
}

if (process.argv[4] === "rates") process.exit();

// a million keys: one refused logon from each of a million addresses
const counted = SHIPPED_RULES.find((r) => r.id === "refused-logons")!;
const memory = () => {
  globalThis.gc?.();
  return process.memoryUsage().heapUsed / 1e6;
};
const before = memory();
const engine = new RuleEngine([counted], demo.directory, { zone: "UTC", maxKeys: 2_000_000 });
const saved = new Map<string, { ruleId: string; lane: string; key: string; state: never }>();
for (let i = 0; i < 1_000_000; i += BATCH) {
  const batch = Array.from({ length: BATCH }, (_, j) => {
    const n = i + j;
    return testRecord({
      id: String(n + 1),
      timeUs: n * 100,
      src: `10.${n >> 16}.${(n >> 8) & 255}.${n & 255}`,
      category: "logon",
      outcome: "failure",
      users: ["root"],
    });
  });
  const { states } = engine.step("live", batch, (i + BATCH) * 100);
  for (const s of states) saved.set(s.key, JSON.parse(JSON.stringify(s)));
}
const text = JSON.stringify([...saved.values()]);
saved.clear();
console.log(
  `${engine.size.toLocaleString("en")} live keys: ${(memory() - before - text.length / 1e6).toFixed(0)} MB of heap (their checkpoint as text, ${(text.length / 1e6).toFixed(0)} MB, taken off)`,
);
const started = performance.now();
const again = new RuleEngine([counted], demo.directory, { zone: "UTC", maxKeys: 2_000_000 }, JSON.parse(text));
console.log(
  `started from that checkpoint in ${((performance.now() - started) / 1_000).toFixed(1)} s with ${again.size.toLocaleString("en")} keys`,
);
