import { RuleEngine, shippedRules } from "@halvik/core/detect";
import { SenderDirectory } from "@halvik/core/model/senders";
import { loadCheckpoint, saveStates } from "../packages/server/src/domains/rules/running/checkpoint-repository.js";
import { transaction } from "../packages/server/src/kernel/db/pool.js";
import { TestStore } from "../packages/server/src/testing/test-store.js";
import { refusedLogon, sayMachine } from "./harness.js";

/**
 * The engine goes on from where it was: a million keys of one rule, saved in PostgreSQL as the engine saves them, read and taken up again.
 * Usage: node scripts/bench.mjs engine-restart [KEYS]
 */
const KEYS = Number(process.argv[2] ?? 1_000_000);
const BATCH = 10_000;
const OPTIONS = { zone: "UTC", maxKeys: 2 * KEYS };

sayMachine();
const rule = shippedRules().find((r) => r.id === "refused-logons")!;
const directory = new SenderDirectory([]);
const store = await TestStore.start();
let engine: RuleEngine | null = new RuleEngine([rule], directory, OPTIONS);
for (let i = 0; i < KEYS; i += BATCH) {
  const batch = Array.from({ length: BATCH }, (_, j) => refusedLogon(i + j));
  const { states } = engine.step("live", batch, (i + BATCH) * 100);
  await transaction(store.client, () => saveStates(store.client, states));
}
console.log(`${engine.size.toLocaleString("en")} live keys saved`);
// a restart begins without what was before
engine = null;
globalThis.gc?.();
for (let run = 0; run < 3; run++) {
  const startedMs = performance.now();
  const { states, ...versions } = await loadCheckpoint(store.client, [rule], []);
  const again = new RuleEngine([rule], directory, OPTIONS, { ...versions, states: [] });
  let takingMs = 0;
  for await (const some of states) {
    const fromMs = performance.now();
    again.goOnFrom(some);
    takingMs += performance.now() - fromMs;
  }
  const [all, taking] = [performance.now() - startedMs, takingMs].map((ms) => (ms / 1_000).toFixed(1));
  console.log(
    `started again with ${again.size.toLocaleString("en")} keys in ${all} s, ${taking} of them in the engine; ${(process.memoryUsage().rss / 1e6).toFixed(0)} MB`,
  );
}
await store.dispose();
process.exit();
