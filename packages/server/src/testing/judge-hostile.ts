import { HostileRecords, refused } from "./hostile-records.js";

/**
 * Decodes as many hostile inputs as asked and judges each value of what they became by what its column takes. A program of its own and
 * not a test for Jest, under which the same takes twice the time; `storable.test.ts` gives PostgreSQL itself a part of the same inputs.
 */
const inputs = Number(process.argv[2] ?? 1_000_000);
const seed = Number(process.argv[3] ?? 19);
const AT = 1_795_600_000_000_000;
const BATCH = 5_000;

const hostile = new HostileRecords(seed, AT, 1);
const started = performance.now();
let records = 0;
for (let done = 0; done < inputs; done += BATCH) {
  const batch = hostile.next(Math.min(BATCH, inputs - done));
  const what = refused(batch);
  if (what !== null) {
    console.error(`among the inputs from ${done} of seed ${seed}, the store would refuse ${what}`);
    process.exit(1);
  }
  records += batch.length;
}
// a decoder that gives nothing of anything is judged too
if (records < inputs / 2) {
  console.error(`only ${records} records of ${inputs} inputs`);
  process.exit(1);
}
const us = ((performance.now() - started) * 1_000) / inputs;
console.log(
  `seed ${seed}: ${inputs.toLocaleString("en")} inputs, ${records.toLocaleString("en")} records, each of which the store takes; ${us.toFixed(0)} µs an input`,
);
