import type { HalvikRecord } from "@halvik/core/model/record";
import type { Queryable } from "../kernel/db/pool.js";
import { copyOut } from "./copy-out.js";
import {
  blankFlow,
  FLOW_COLUMNS,
  FLOW_RULE_COLUMNS,
  FLOW_SELECT_COLUMNS,
  SEEN_FLOW_COLUMNS,
  toFlowRecord,
} from "./flow-columns.js";
import {
  blankRecord,
  type Column,
  type NamedRow,
  RECORD_COLUMNS,
  type RecordDraft,
  RULE_COLUMNS,
  SEEN_COLUMNS,
  SELECT_COLUMNS,
  toRecord,
  wholeRecord,
} from "./record-columns.js";
import { LAST_ID } from "./record-id.js";
import { type Shape, segmentTable, shapeOf } from "./segments.js";

/** For whom records are read: rules see no more of them than the fields of the filter language show. */
export type Reader = "people" | "rules";

interface ReadAs {
  /** As SQL, where a filter is asked with it. */
  readonly columns: Readonly<Record<Reader, string>>;
  readonly copied: Readonly<Record<Reader, readonly Column<never>[]>>;
  readonly blank: () => RecordDraft;
  readonly toRecord: (row: NamedRow) => HalvikRecord;
}

/** What is asked of segments of each shape, and how their rows become records. */
const READ: Readonly<Record<Shape, ReadAs>> = {
  record: {
    columns: { people: SELECT_COLUMNS, rules: RULE_COLUMNS },
    copied: { people: RECORD_COLUMNS, rules: SEEN_COLUMNS },
    blank: () => blankRecord("syslog"),
    toRecord,
  },
  flow: {
    columns: { people: FLOW_SELECT_COLUMNS, rules: FLOW_RULE_COLUMNS },
    copied: { people: FLOW_COLUMNS, rules: SEEN_FLOW_COLUMNS },
    blank: blankFlow,
    toRecord: toFlowRecord,
  },
};

export const selectFrom = (segment: string, reader: Reader = "people"): string =>
  `select ${READ[shapeOf(segment)].columns[reader]} from ${segmentTable(segment)} r`;

export const readRows = (segment: string, rows: readonly unknown[]): HalvikRecord[] =>
  (rows as readonly NamedRow[]).map(READ[shapeOf(segment)].toRecord);

/** Which rows of a segment are asked for. */
export interface RowRange {
  /** Those after this id, */
  readonly after: string;
  /** up to this one; undefined: to the last, */
  readonly upTo?: string;
  /** and so many at the most. */
  readonly most: number;
  readonly reader?: Reader;
}

/** Rows of a segment whatever they hold, in the order of ids: quicker by far than what a filter chooses (`copy-decode.ts`). */
export async function rowsBetween(
  db: Queryable,
  segment: string,
  { after, upTo = LAST_ID, most, reader = "people" }: RowRange,
): Promise<HalvikRecord[]> {
  const { copied, blank } = READ[shapeOf(segment)];
  const columns = copied[reader];
  const out: HalvikRecord[] = [];
  await copyOut(db, columns, { table: segmentTable(segment), after, upTo, most }, (values) => {
    const record = blank();
    for (let i = 0; i < columns.length; i++) {
      const value = values[i];
      if (value !== null) columns[i]!.put(record as never, value as never);
    }
    out.push(wholeRecord(record));
  });
  return out;
}
