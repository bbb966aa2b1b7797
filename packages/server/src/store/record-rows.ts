import type { HalvikRecord } from "@halvik/core/record";
import { FLOW_SELECT_COLUMNS, type FlowRow, toFlowRecord } from "./flow-columns.js";
import { type RecordRow, SELECT_COLUMNS, toRecord } from "./record-columns.js";
import { type Shape, segmentTable, shapeOf } from "./segments.js";

/** What is asked of segments of each shape, and how their rows become records. */
const READ: Readonly<Record<Shape, { columns: string; toRecord: (row: never) => HalvikRecord }>> = {
  record: { columns: SELECT_COLUMNS, toRecord: toRecord as (row: RecordRow) => HalvikRecord },
  flow: { columns: FLOW_SELECT_COLUMNS, toRecord: toFlowRecord as (row: FlowRow) => HalvikRecord },
};

export const selectFrom = (segment: string): string =>
  `select ${READ[shapeOf(segment)].columns} from ${segmentTable(segment)} r`;

export const readRows = (segment: string, rows: readonly unknown[]): HalvikRecord[] =>
  (rows as readonly never[]).map(READ[shapeOf(segment)].toRecord);
