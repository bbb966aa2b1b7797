import type { HalvikRecord } from "@halvik/core/model/record";
import type { Queryable } from "../kernel/db/pool.js";
import { FLOW_RULE_COLUMNS, FLOW_SELECT_COLUMNS, type FlowRow, toFlowRecord } from "./flow-columns.js";
import { type RecordRow, RULE_COLUMNS, SELECT_COLUMNS, toRecord } from "./record-columns.js";
import { type Shape, segmentTable, shapeOf } from "./segments.js";

/** For whom records are read: rules see no more of them than the fields of the filter language show. */
export type Reader = "people" | "rules";

/** What is asked of segments of each shape, and how their rows become records. */
const READ: Readonly<
  Record<Shape, { columns: Readonly<Record<Reader, string>>; toRecord: (row: never) => HalvikRecord }>
> = {
  record: {
    columns: { people: SELECT_COLUMNS, rules: RULE_COLUMNS },
    toRecord: toRecord as (row: RecordRow) => HalvikRecord,
  },
  flow: {
    columns: { people: FLOW_SELECT_COLUMNS, rules: FLOW_RULE_COLUMNS },
    toRecord: toFlowRecord as (row: FlowRow) => HalvikRecord,
  },
};

export const selectFrom = (segment: string, reader: Reader = "people"): string =>
  `select ${READ[shapeOf(segment)].columns[reader]} from ${segmentTable(segment)} r`;

export const readRows = (segment: string, rows: readonly unknown[]): HalvikRecord[] =>
  (rows as readonly never[]).map(READ[shapeOf(segment)].toRecord);

/** The next rows of a segment after an id, by id. */
export async function rowsAfter(
  db: Queryable,
  segment: string,
  after: string,
  most: number,
): Promise<ReturnType<typeof readRows>> {
  const { rows } = await db.query(`${selectFrom(segment)} where r.id > $1::bigint order by r.id limit $2`, [
    after,
    most,
  ]);
  return readRows(segment, rows);
}
