import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { UsmUsers, usmUser } from "@halvik/core/snmp";
import pg from "pg";
import { from as copyFrom } from "pg-copy-streams";
import type { Arrival } from "../collector/arrival.js";
import { decodeBatch } from "../collector/decode-batch.js";
import { Decoders } from "../collector/decoders.js";
import { loneSender, SenderRegistry } from "../collector/sender-registry.js";
import { nodeSnmpCrypto } from "../collector/snmp-crypto.js";
import { HostileInputs, USM } from "../testing/hostile-inputs.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";
import { BatchWriter } from "./batches.js";
import { claimCollector } from "./collectors.js";
import { CopyEncoder } from "./copy-binary.js";
import { FLOW_COLUMNS, FLOW_COPY_COLUMNS, FLOW_COPY_TYPES } from "./flow-columns.js";
import { keepMeasures, saveFlowDomains } from "./kinds.js";
import { connectionOf } from "./pool.js";
import { COPY_COLUMNS, COPY_TYPES, RECORD_COLUMNS, type StoredContent } from "./record-columns.js";
import { IdSource } from "./record-id.js";

/** Longer runs set more (docs/ordeal.md). */
const INPUTS = Number(process.env.HALVIK_HOSTILE_INPUTS ?? 30_000);
/** Of so many batches one is written whole, with sums, raw bytes and templates; of the others the rows alone. */
const WHOLE = 8;
const AT = 1_795_600_000_000_000;
const PEER = "192.0.2.7";

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
  const sender = loneSender("UTC").facts;
  const registry = SenderRegistry.of([{ ...sender, addresses: [PEER], state: "admitted" }], "UTC");
  const decoders = new Decoders();
  decoders.settings = {
    ...decoders.settings,
    users: new UsmUsers([usmUser(nodeSnmpCrypto, USM)], nodeSnmpCrypto),
    maxBehindUs: Number.POSITIVE_INFINITY,
  };
  const claim = await claimCollector(client, "hostile", "live");
  const writer = new BatchWriter(client, claim.number, null);
  const ids = new IdSource(claim.number, 0);
  const inputs = new HostileInputs(19, AT);
  let records = 0;
  for (let done = 0, number = 1; done < INPUTS; number++) {
    const arrivals: Arrival[] = [];
    for (; arrivals.length < 5_000 && done < INPUTS; done++)
      arrivals.push({ ...inputs.next(), endpoint: "test", peer: PEER, receivedUs: AT, held: false });
    decoders.begin();
    const decoded = decodeBatch(arrivals, registry, { decoders, ids, nowUs: AT, imported: false });
    if (number % WHOLE === 0)
      await writer.commit({ number, records: decoded.records, throughUs: AT, runRules: false }, AT, async (db) => {
        await keepMeasures(db, decoders.measures);
        await saveFlowDomains(db, decoders.flows, AT);
      });
    else await copyRows(decoded.records);
    records += decoded.records.length;
  }
  expect(records).toBeGreaterThan(INPUTS / 2);
}, 3_600_000);
