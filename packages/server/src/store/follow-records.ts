import type { HalvikRecord } from "@halvik/core/model/record";
import type { Queryable } from "../kernel/db/pool.js";
import { readRows, selectFrom } from "./record-rows.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import { shapeOf } from "./segments.js";

/** How far each collector had committed: the greatest batch number of each. Plain data, so that a cursor can carry it. */
export type CommitMarks = Readonly<Record<number, number>>;

/** Where following the store stands: all batches up to the marks were read, and one more up to a record. */
export interface FollowCursor {
  readonly marks: CommitMarks;
  readonly within?: { readonly collector: number; readonly number: number; readonly afterId: string } | undefined;
}

export interface FollowRequest extends SearchScope {
  readonly limit: number;
  readonly since: FollowCursor;
}

export interface FollowPage {
  /** Collector by collector in the order they were stored. */
  readonly records: readonly HalvikRecord[];
  /** Where to go on, now or later. */
  readonly cursor: FollowCursor;
  /** More was committed than was read. */
  readonly more: boolean;
  readonly searched: Searched;
}

/** Batches looked at for one page, at the most. */
const MOST_BATCHES = 500;
const READ_AT_ONCE = 2_000;

/** How far the store has been written. */
export async function commitMarks(db: Queryable): Promise<CommitMarks> {
  const { rows } = await db.query<{ collector: number; number: number | null }>(
    "select c.number as collector, (select max(b.number) from batch b where b.collector = c.number) as number from collector c",
  );
  return Object.fromEntries(rows.flatMap((r) => (r.number === null ? [] : [[r.collector, r.number]])));
}

interface BatchRow {
  collector: number;
  number: number;
  low_id: string;
  high_id: string;
}

/**
 * What was committed since a cursor and matches, whatever its time: a record that came late lies behind the ones read before, and is new all
 * the same (`docs/semantics.md` 6). Each is given once.
 * @returns null when batches since then are not known any more: the window has to be read again
 */
export async function followRecords(db: Queryable, request: FollowRequest): Promise<FollowPage | null> {
  const query = new SearchQuery(db, request);
  const { marks, within } = request.since;
  if (await isForgotten(db, marks)) return null;
  const { rows: batches } = await db.query<BatchRow>(
    `select b.collector, b.number, b.low_id::text, b.high_id::text from batch b
     left join jsonb_each_text($1::jsonb) m (collector, number) on m.collector::int = b.collector
     where b.number > coalesce(m.number::bigint, 0) order by b.collector, b.number limit ${MOST_BATCHES + 1}`,
    [JSON.stringify(marks)],
  );
  const read: Record<number, number> = { ...marks };
  const records: HalvikRecord[] = [];
  for (const [i, batch] of batches.entries()) {
    const isOver = i === MOST_BATCHES || records.length >= request.limit || (i > 0 && query.isOver);
    if (isOver) return { records, cursor: { marks: read }, more: true, searched: query.searched };
    if (batch.low_id !== null) {
      const isBegun = within?.collector === batch.collector && within.number === batch.number;
      const room = request.limit - records.length;
      const lastId = await readBatch(query, batch, isBegun ? within.afterId : null, room, records);
      if (lastId !== null) {
        const { collector, number } = batch;
        return {
          records,
          cursor: { marks: read, within: { collector, number, afterId: lastId } },
          more: true,
          searched: query.searched,
        };
      }
    }
    // a collector commits its numbers in order: what is missing below the greatest never comes
    read[batch.collector] = batch.number;
  }
  return { records, cursor: { marks: read }, more: false, searched: query.searched };
}

/** Whether any collector has batches after the mark that have been forgotten. */
async function isForgotten(db: Queryable, marks: CommitMarks): Promise<boolean> {
  const { rows } = await db.query<{ gap: boolean }>(
    `select exists (select from jsonb_each_text($1::jsonb) m (collector, number)
     where (select min(b.number) from batch b where b.collector = m.collector::int) > m.number::bigint + 1) as gap`,
    [JSON.stringify(marks)],
  );
  return rows[0]!.gap;
}

/** Adds what matches of a batch, in the order of ids. @returns the last id read when there was no room for all, else null */
async function readBatch(
  query: SearchQuery,
  batch: BatchRow,
  afterId: string | null,
  room: number,
  into: HalvikRecord[],
): Promise<string | null> {
  const { rows: segments } = await query.db.query<{ name: string }>(
    "select name from segment where collector = $1 and max_id >= $2::bigint and min_id <= $3::bigint order by name",
    [batch.collector, batch.low_id, batch.high_id],
  );
  const found: HalvikRecord[] = [];
  for (const { name } of segments) {
    let after = afterId;
    for (;;) {
      const { params, condition } = query.compile(shapeOf(name));
      const bounds = [
        `r.time >= ${params.add(query.fromUs, "::bigint")} and r.time < ${params.add(query.toUs, "::bigint")}`,
        after === null ? `r.id >= ${params.add(batch.low_id, "::bigint")}` : `r.id > ${params.add(after, "::bigint")}`,
        `r.id <= ${params.add(batch.high_id, "::bigint")}`,
      ];
      const rows = await query.rows(
        `${selectFrom(name)} where ${bounds.join(" and ")} and ${condition.text} order by r.id limit ${READ_AT_ONCE}`,
        params.values,
      );
      const records = readRows(name, rows);
      query.searched.rowsRead += records.length;
      for (const record of records) if (query.test(record)) found.push(record);
      if (records.length < READ_AT_ONCE) break;
      after = records[records.length - 1]!.id;
    }
  }
  found.sort((a, b) => a.id.length - b.id.length || (a.id < b.id ? -1 : 1));
  for (const record of found.slice(0, room)) into.push(record);
  return found.length > room ? found[room - 1]!.id : null;
}
