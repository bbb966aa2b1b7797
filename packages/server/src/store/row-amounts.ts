import { type Count, type HalvikRecord, readCount } from "@halvik/core/model/record";
import type { Amount } from "@halvik/core/query/measure";
import type { PartSource } from "./part-matches.js";
import type { SearchQuery } from "./search-query.js";
import { segmentTable } from "./segments.js";

/** What one record adds. */
export const amountOf = (amount: Amount, record: HalvikRecord): Count =>
  amount === "records" ? 1 : (record[amount] ?? 0);

/** What each row of a part adds, in their order, null where it says nothing; no function when retention has dropped the part meanwhile. */
export async function amountsOfRows(
  query: SearchQuery,
  amount: Amount,
  source: PartSource,
): Promise<((row: number) => Count | null) | null> {
  if (amount === "records") return () => 1;
  const rows = (await query.rows(
    `select r.${amount}::text as amount from ${segmentTable(source.segment)} r where r.id >= $1::bigint and r.id <= $2::bigint order by r.id`,
    [source.firstId, source.lastId],
  )) as { amount: string | null }[];
  if (rows.length !== source.rows) return null;
  query.searched.rowsRead += rows.length;
  return (row) => readCount(rows[row]!.amount ?? "");
}
