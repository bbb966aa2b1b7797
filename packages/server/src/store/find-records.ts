import type { HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import type { Queryable } from "../kernel/db/pool.js";
import type { BatchIds } from "./batches.js";
import { filterToSql, Params } from "./filter-sql.js";
import { type Reader, readRows, rowsBetween, selectFrom } from "./record-rows.js";
import { segmentsWithIds, shapeOf } from "./segments.js";

/** A record by id with its raw bytes as kept, or null. */
export async function findRecord(
  db: Queryable,
  id: string,
): Promise<{ record: HalvikRecord; raw: Buffer | null; segment: string } | null> {
  for (const name of await segmentsWithIds(db, id, id)) {
    const { rows } = await db.query(`${selectFrom(name)} where r.id = $1::bigint`, [id]);
    const record = readRows(name, rows)[0];
    if (!record) continue;
    const raw = await db.query<{ raw: Buffer }>("select raw from raw_bytes where id = $1::bigint", [id]);
    return { record, raw: raw.rows[0]?.raw ?? null, segment: name };
  }
  return null;
}

/** Records by id, in no particular order; ids that are gone are left out. */
export async function findRecords(db: Queryable, ids: readonly string[]): Promise<HalvikRecord[]> {
  if (ids.length === 0) return [];
  const sorted = [...ids].sort((a, b) => a.length - b.length || (a < b ? -1 : 1));
  const out: HalvikRecord[] = [];
  for (const name of await segmentsWithIds(db, sorted[0]!, sorted[sorted.length - 1]!)) {
    const { rows } = await db.query(`${selectFrom(name)} where r.id = any($1::bigint[])`, [ids]);
    // one by one: as arguments of a call a million of them do not fit
    for (const record of readRows(name, rows)) out.push(record);
  }
  return out;
}

/** Records of a collector whose ids lie within bounds and that a filter may match, the newest of each segment first. */
export async function recordsInIdRange(
  db: Queryable,
  { collector, low, high }: BatchIds,
  filter: Filter,
  directory: SenderDirectory,
  nowUs: number,
  limit: number,
  reader: Reader,
): Promise<HalvikRecord[]> {
  const out: HalvikRecord[] = [];
  for (const name of await segmentsWithIds(db, low, high, collector)) {
    const params = new Params();
    const condition = filterToSql(filter, params, { directory, nowUs, shape: shapeOf(name) });
    const { rows } = await db.query(
      `${selectFrom(name, reader)} where r.id >= ${params.add(low, "::bigint")} and r.id <= ${params.add(high, "::bigint")} and ${condition.text} order by r.id desc limit ${limit}`,
      params.values,
    );
    // one by one: as arguments of a call a million of them do not fit
    for (const record of readRows(name, rows)) out.push(record);
  }
  return out;
}

/** Rows that are read at once: what is read stands in memory twice for a moment. */
const READ_AT_ONCE = 5_000;

/** All records of a collector whose ids lie within bounds, in id order within each segment, as rules see them: how rules follow the store. */
export async function allInIdRange(db: Queryable, { collector, low, high }: BatchIds): Promise<HalvikRecord[]> {
  const out: HalvikRecord[] = [];
  for (const name of await segmentsWithIds(db, low, high, collector)) {
    let after = (BigInt(low) - 1n).toString();
    for (;;) {
      const records = await rowsBetween(db, name, { after, upTo: high, most: READ_AT_ONCE, reader: "rules" });
      for (const record of records) out.push(record);
      if (records.length < READ_AT_ONCE) break;
      after = records[records.length - 1]!.id;
    }
  }
  return out;
}

/** What came as bytes that its text does not give back, by record id. */
export async function keptRawBytes(db: Queryable, ids: readonly string[]): Promise<Map<string, Buffer>> {
  const { rows } = await db.query<{ id: string; raw: Buffer }>(
    "select id::text as id, raw from raw_bytes where id = any($1::bigint[])",
    [ids],
  );
  return new Map(rows.map((r) => [r.id, r.raw]));
}

/** The messages of records as they came, in their order. */
export async function bytesOf(db: Queryable, records: readonly HalvikRecord[]): Promise<Buffer[]> {
  if (records.length === 0) return [];
  const kept = await keptRawBytes(
    db,
    records.map((r) => r.id),
  );
  return records.map((r) => kept.get(r.id) ?? Buffer.from(r.head + r.text + r.tail, "utf8"));
}
