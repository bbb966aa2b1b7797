import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { syslogRecord } from "@halvik/core/normalise";
import pg from "pg";
import { from as copyFrom } from "pg-copy-streams";
import { keepMeasures, saveFlowDomains } from "../domains/intake/pipeline/state-repository.js";
import { connectionOf } from "../kernel/db/pool.js";
import { HostileRecords, refused } from "../testing/hostile-records.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";
import { BatchWriter, type Piece, type SalvageTime } from "./batches.js";
import { claimCollector } from "./collectors.js";
import { CopyEncoder } from "./copy-binary.js";
import { FLOW_COLUMNS, FLOW_COPY_COLUMNS, FLOW_COPY_TYPES } from "./flow-columns.js";
import { COPY_COLUMNS, COPY_TYPES, RECORD_COLUMNS, type StoredContent } from "./record-columns.js";
import { formatRecordId, IdSource } from "./record-id.js";

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

describe("a batch that is refused as a whole", () => {
  let writer: BatchWriter;
  let ids: IdSource;
  let number = 0;
  beforeAll(async () => {
    await client.query("alter table segments.template add constraint poison check (message not like '%poison%')");
    const claim = await claimCollector(client, "salvaging", "live");
    writer = new BatchWriter(client, claim.number, null);
    ids = new IdSource(claim.number, 0);
  });

  /** A message of a sender by itself. */
  const piece = (sender: number, text: string): Piece & { readonly text: string } => {
    const read = { receivedUs: AT, zone: "UTC", clockOffsetUs: 0 };
    const { content } = syslogRecord(Buffer.from(`<13>1 - s t - - - ${text}`), read);
    return { text, records: [{ id: ids.next(AT), sender, endpoint: "x", copyOf: null, content }] };
  };
  const texts = (pieces: readonly { readonly piece: { readonly text: string } }[]) => pieces.map((p) => p.piece.text);
  const salvage = (pieces: readonly (Piece & { readonly text: string })[], time: SalvageTime) =>
    writer.salvage({ number: ++number, throughUs: AT, runRules: false }, pieces, () => null, AT, time, []);
  const ENOUGH = { halveUntilMs: Number.POSITIVE_INFINITY, endMs: Number.POSITIVE_INFINITY };
  const NONE_TO_HALVE = { ...ENOUGH, halveUntilMs: 0 };
  const NONE = { halveUntilMs: 0, endMs: 0 };
  /** What rules and followers read of the batch: how many, from which id to which. */
  const rangeOfBatch = async () => {
    const { rows } = await client.query(
      "select rows, low_id::text as low, high_id::text as high from batch where collector = $1 and number = $2",
      [writer.collector, number],
    );
    return rows[0];
  };
  const idOf = (p: Piece) => formatRecordId(p.records[0]!.id);
  const FIVE = [
    [1, "one"],
    [2, "two"],
    [3, "three"],
    [2, "poison"],
    [1, "four"],
  ] as const;
  const five = () => FIVE.map(([sender, text]) => piece(sender, text));

  test("with time, the offender stands alone", async () => {
    const pieces = five();
    const salvaged = await salvage(pieces, ENOUGH);
    expect([texts(salvaged.refused), salvaged.left]).toEqual([["poison"], []]);
    expect(await rangeOfBatch()).toEqual({ rows: 4, low: idOf(pieces[0]!), high: idOf(pieces[4]!) });
  });

  test("without time, who sent no poison loses nothing to who did", async () => {
    const pieces = five();
    const salvaged = await salvage(pieces, NONE_TO_HALVE);
    expect([salvaged.refused, texts(salvaged.left)]).toEqual([[], ["two", "poison"]]);
    expect(salvaged.left[0]!.reason.message).toContain("poison");
    // stored by sender, read in the order of ids
    expect(await rangeOfBatch()).toEqual({ rows: 3, low: idOf(pieces[0]!), high: idOf(pieces[4]!) });
  });

  test("a sender whose only message is poison is refused by itself also without time", async () => {
    const salvaged = await salvage([piece(1, "one"), piece(2, "poison")], NONE_TO_HALVE);
    expect([texts(salvaged.refused), salvaged.left]).toEqual([["poison"], []]);
  });

  test.each([0, 1_500, 2_999])(
    "of thousands in many pieces, the %ith: it alone is out, and the connection serves on",
    async (place) => {
      const pieces = Array.from({ length: 3_000 }, (_, i) => piece(1, i === place ? "poison" : `line ${i}`));
      const records = pieces.flatMap((p) => p.records);
      await expect(
        writer.commit({ number: ++number, throughUs: AT, runRules: false, records }, AT),
      ).rejects.toMatchObject({ code: "23514" });
      const salvaged = await salvage(pieces, ENOUGH);
      expect([texts(salvaged.refused), salvaged.left]).toEqual([["poison"], []]);
      expect(await rangeOfBatch()).toMatchObject({ rows: 2_999 });
    },
  );

  test("with no time at all, everything is left: the batch has its number, and nothing is tried for ever", async () => {
    const salvaged = await salvage(five(), NONE);
    expect([salvaged.refused, texts(salvaged.left).sort()]).toEqual([[], ["four", "one", "poison", "three", "two"]]);
    expect(await rangeOfBatch()).toEqual({ rows: 0, low: null, high: null });
  });
});
