import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { shippedRules } from "@halvik/core/detect";
import { SenderDirectory } from "@halvik/core/model/senders";
import { loadSenders } from "../packages/server/src/domains/intake/senders/repository.js";
import { rehearse } from "../packages/server/src/domains/rules/rehearse.js";
import { connectionOf, createPool } from "../packages/server/src/kernel/db/pool.js";
import { TermIndex } from "../packages/server/src/store/term-index.js";
import { sayMachine } from "./harness.js";
import { openStore, STORE_DAYS, STORE_ENDS_MINUTE } from "./store.js";

/** Rules rehearsed over a whole store made before. Usage: node scripts/bench.mjs rehearse DIR [RULE…] */
const [directory, ...named] = process.argv.slice(2);
if (!directory) throw new Error("usage: rehearse DIR [RULE…]");
const ids =
  named.length > 0
    ? named
    : ["guessed-then-in", "refused-logons", "many-refusals", "scan-then-accepted", "outbound-unusual"];
sayMachine();
const instance = await openStore(directory, 20);
const db = createPool(connectionOf(instance.config, instance.secrets, "web"), 2, 120_000);
const toUs = STORE_ENDS_MINUTE * US_PER_MINUTE;
const scope = {
  fromUs: toUs - STORE_DAYS * US_PER_DAY,
  toUs,
  directory: new SenderDirectory(await loadSenders(db, "UTC")),
  zone: "UTC",
  terms: new TermIndex(),
};
for (const id of ids) {
  const rule = shippedRules().find((r) => r.id === id);
  if (!rule) {
    console.log(`${id}: no such rule`);
    continue;
  }
  const started = performance.now();
  const seconds = () => ((performance.now() - started) / 1000).toFixed(1);
  let first = "";
  for await (const p of rehearse(db, [rule], scope)) {
    if (first === "") first = seconds();
    if (p.done)
      console.log(
        `${id}: ${seconds()} s, first results after ${first} s; ${p.records} records matter, ${p.versions[0]!.findings} findings, ${p.versions[0]!.incidents} incidents, ${p.costUs.toFixed(1)} µs a record in the engine`,
      );
  }
}
await db.end();
await instance.dispose();
