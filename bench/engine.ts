import { LATENESS_US, Rule, RuleEngine, shippedRules } from "@halvik/core/detect";
import type { HalvikRecord } from "@halvik/core/model/record";
import { SenderDirectory } from "@halvik/core/model/senders";
import { DemoRecords } from "../packages/server/src/testing/demo-records.js";
import { refusedLogon, sayMachine } from "./harness.js";

/** The engine alone, one core: records a second with the shipped rules and with 500; memory of a million keys. */
const minutes = Number(process.argv[2] ?? 600);
const runs = Number(process.argv[3] ?? 3);
const FIRST = 29_300_000;
const BATCH = 2_000;
const NOBODY = new SenderDirectory([]);

sayMachine();

/** Times the usual traffic of the demo: the more, the more records of one key come together. */
const rate = Number(process.env.BENCH_RATE ?? 4);
const demoOf = () => new DemoRecords({ seed: 9, rate, storyEveryMinutes: 149 });

/** Records come into being batch by batch, as they come from the store; only what the engine does with them is timed. */
function run(rules: readonly Rule[]): { records: number; perSecond: number; findings: number } {
  const demo = demoOf();
  const engine = new RuleEngine(rules, demo.directory, { zone: "UTC" });
  let findings = 0;
  let records = 0;
  let spent = 0;
  let batch: HalvikRecord[] = [];
  for (let m = FIRST; m < FIRST + minutes; m++) {
    batch.push(...demo.minute(m));
    if (batch.length < BATCH && m < FIRST + minutes - 1) continue;
    const started = performance.now();
    const { episodes } = engine.step("live", batch, batch[batch.length - 1]!.receivedUs - LATENESS_US);
    spent += performance.now() - started;
    records += batch.length;
    for (const e of episodes) if (e.final) findings++;
    batch = [];
  }
  return { records, perSecond: (records / spent) * 1_000, findings };
}

const share = shippedRules().length;
const copy = (i: number): Rule => {
  const rule = shippedRules()[i % share]!;
  return { ...rule, id: `${rule.id}-${i}`.slice(0, 62) };
};
const copies = Array.from({ length: 500 }, (_, i) => copy(i));
/** As they gather in practice: the shipped ones, and others of every kind that each look at one sender. */
const names = demoOf().directory.senders.map((s) => s.name);
const narrowed = Array.from({ length: 500 }, (_, i): Rule => (i < share ? shippedRules()[i]! : narrow(copy(i), i)));
function narrow(rule: Rule, i: number): Rule {
  const only = (filter: string) => `(${filter}) and sender is "${names[i % names.length]}"`;
  if (rule.kind === "sequence") return { ...rule, steps: rule.steps.map((s) => ({ ...s, filter: only(s.filter) })) };
  if (rule.kind === "together") return { ...rule, parts: rule.parts.map((p) => ({ ...p, filter: only(p.filter) })) };
  return { ...rule, filter: only(rule.filter) };
}
for (const [name, rules] of [
  [`${share} shipped rules`, shippedRules()],
  ["500 rules, 439 of them for one sender each", narrowed],
  ["500 rules, the shipped ones eight times over", copies],
] as const) {
  const figures = Array.from({ length: runs }, () => run(rules));
  console.log(
    `${name}, ${figures[0]!.records} records of all kinds over ${minutes} min, in batches of about ${BATCH}: ${figures.map((f) => Math.round(f.perSecond).toLocaleString("en")).join(", ")} records/s; ${figures[0]!.findings} findings ended`,
  );
}
// limits on one sender's records or bytes each, at the rate of a few hundred devices
const limits = Array.from({ length: 200 }, (_, i) =>
  Rule.parse({
    id: `limit-${i}`,
    name: `Limit ${i}`,
    kind: "departure",
    severity: "warning",
    filter: `sender is "${names[i % names.length]}" and severity at most ${i % 2 === 0 ? "notice" : "debug"}`,
    key: i % 4 === 0 ? ["src"] : [],
    measure: i % 3 === 0 ? { of: "sum", field: "bytes" } : { of: "records" },
    everySeconds: 300,
    judgement: { by: "line", side: "over", raiseAt: 1e12, clearAt: 9e11 },
    title: "over",
    clear: { by: "condition" },
  }),
);
const LIVE_RATE = 200;
for (let n = 0; n < runs; n++) {
  const [alone, beside] = [run(shippedRules()), run([...shippedRules(), ...limits])];
  const more = 1e6 / beside.perSecond - 1e6 / alone.perSecond;
  console.log(
    `200 limits beside the shipped rules: ${more.toFixed(2)} µs a record more, ${((more * LIVE_RATE) / 1e4).toFixed(2)} % of a core at ${LIVE_RATE} records/s`,
  );
}
if (process.argv[4] === "limits") process.exit();
for (const rule of shippedRules()) {
  if (process.argv[4] !== "each") break;
  console.log(`${rule.id}: ${Math.round(run([rule]).perSecond).toLocaleString("en")} records/s`);
}

if (process.argv[4] === "rates") process.exit();

// a million keys: one refused logon from each of a million addresses
const counted = shippedRules().find((r) => r.id === "refused-logons")!;
const memory = () => {
  globalThis.gc?.();
  return process.memoryUsage().heapUsed / 1e6;
};
const before = memory();
const engine = new RuleEngine([counted], NOBODY, { zone: "UTC", maxKeys: 2_000_000 });
for (let i = 0; i < 1_000_000; i += BATCH) {
  const batch = Array.from({ length: BATCH }, (_, j) => refusedLogon(i + j));
  engine.step("live", batch, (i + BATCH) * 100);
}
console.log(`${engine.size.toLocaleString("en")} live keys: ${(memory() - before).toFixed(0)} MB of heap`);
