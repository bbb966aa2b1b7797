import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import pg from "pg";
import { from as copyFrom } from "pg-copy-streams";
import { keepMeasures, saveFlowDomains } from "../domains/intake/pipeline/state-repository.js";
import { connectionOf } from "../kernel/db/pool.js";
import { HostileRecords, refused } from "../testing/hostile-records.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";
import { BatchWriter } from "./batches.js";
import { claimCollector } from "./collectors.js";
import { CopyEncoder } from "./copy-binary.js";
import { FLOW_COLUMNS, FLOW_COPY_COLUMNS, FLOW_COPY_TYPES } from "./flow-columns.js";
import { COPY_COLUMNS, COPY_TYPES, RECORD_COLUMNS, type StoredContent } from "./record-columns.js";

/** PostgreSQL takes the most time; `judge-hostile.ts` judges a million and more without it. Longer runs set more (docs/ordeal.md). */
const INPUTS = Number(process.env.HALVIK_HOSTILE_INPUTS ?? 12_000);
/** Another seed takes other inputs. */
const SEED = Number(process.env.HALVIK_HOSTILE_SEED ?? 19);
const BATCH = 5_000;
const AT = 1_795_600_000_000_000;

let instance: TestInstance;
let client: pg.Client;
beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  await client.query(
    "create temp table taken_record (like segments.template); create temp table taken_flow (like segments.flow_template)",
  );
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

const SHAPES = {
  record: { columns: RECORD_COLUMNS, names: COPY_COLUMNS, encoder: new CopyEncoder(COPY_TYPES) },
  flow: { columns: FLOW_COLUMNS, names: FLOW_COPY_COLUMNS, encoder: new CopyEncoder(FLOW_COPY_TYPES) },
} as const;

/** COPY into tables with the columns of segments, which keep nothing. */
async function copyRows(records: readonly StoredContent[]): Promise<void> {
  for (const [shape, { columns, names, encoder }] of Object.entries(SHAPES)) {
    const own = records.filter((r) => (r.content.flow === null) === (shape === "record"));
    encoder.restart();
    for (const record of own) encoder.row(columns.map((c) => c.value(record)));
    const stream = client.query(copyFrom(`copy taken_${shape} (${names}) from stdin (format binary)`));
    await pipeline(Readable.from([encoder.finish()]), stream);
    await client.query(`truncate taken_${shape}`);
  }
}

test(`whatever the decoders make of ${INPUTS.toLocaleString("en")} hostile inputs, the store takes it`, async () => {
  const claim = await claimCollector(client, "hostile", "live");
  const writer = new BatchWriter(client, claim.number, null);
  const hostile = new HostileRecords(SEED, AT, claim.number);
  let records = 0;
  for (let done = 0, number = 1; done < INPUTS; done += BATCH, number++) {
    const batch = hostile.next(Math.min(BATCH, INPUTS - done));
    expect(refused(batch)).toBeNull();
    // every second batch whole, with sums, raw bytes and templates
    if (number % 2 === 0)
      await writer.commit({ number, records: batch, throughUs: AT, runRules: false }, AT, async (db) => {
        await keepMeasures(db, hostile.decoders.measures);
        await saveFlowDomains(db, hostile.decoders.flows, AT);
      });
    else await copyRows(batch);
    records += batch.length;
  }
  expect(records).toBeGreaterThan(INPUTS / 2);
}, 3_600_000);
