import type { HalvikRecord } from "@halvik/core/model/record";
import { readRows, selectFrom } from "./record-rows.js";
import type { SearchQuery } from "./search-query.js";
import type { Source } from "./sources.js";

const READ_AT_ONCE = 5_000;

/**
 * Reads what the database lets through of a source, newest first, and hands on what matches.
 * @param visit returns false to end it
 * @returns false when time was over, or it was ended, before all was read
 */
export async function scanRecords(
  query: SearchQuery,
  source: Source,
  visit: (record: HalvikRecord) => boolean,
): Promise<boolean> {
  let below: string | null = null;
  for (;;) {
    const { params, condition } = query.compile(source.shape);
    const bounds = query.bounds(source, params);
    const keyset = below === null ? "" : ` and r.id < ${params.add(below, "::bigint")}`;
    const rows = await query.rows(
      `${selectFrom(source.segment)} where ${bounds}${keyset} and ${condition.text} order by r.id desc limit ${READ_AT_ONCE}`,
      params.values,
    );
    const records: HalvikRecord[] = readRows(source.segment, rows);
    query.searched.rowsRead += records.length;
    for (const record of records) if ((condition.exact || query.test(record)) && !visit(record)) return false;
    if (records.length < READ_AT_ONCE) return true;
    if (query.isOver) return false;
    below = records[records.length - 1]!.id;
  }
}
