import type { EpochUs } from "../../base/time/index.js";
import { VarintReader, VarintWriter } from "./varint.js";

/** Rows of a part are listed in blocks of so many. */
export const DIRECTORY_ROWS = 4096;

/** Time and id of a row; the id as its moment of storage, since the collector is the same for a whole segment. */
export interface RowKey {
  readonly timeUs: EpochUs;
  readonly storedUs: EpochUs;
}

export interface DirectoryBlock {
  readonly firstRow: number;
  readonly minTimeUs: EpochUs;
  readonly maxTimeUs: EpochUs;
  readonly data: Uint8Array;
}

/** Times and ids of rows in storage order: ids only grow, and times lie near one another. */
export function encodeDirectory(keys: readonly RowKey[]): DirectoryBlock[] {
  const blocks: DirectoryBlock[] = [];
  for (let firstRow = 0; firstRow < keys.length; firstRow += DIRECTORY_ROWS) {
    const writer = new VarintWriter();
    let stored = 0;
    let time = 0;
    let minTimeUs = Number.POSITIVE_INFINITY;
    let maxTimeUs = Number.NEGATIVE_INFINITY;
    for (const key of keys.slice(firstRow, firstRow + DIRECTORY_ROWS)) {
      writer.number(key.storedUs - stored);
      writer.signed(key.timeUs - time);
      stored = key.storedUs;
      time = key.timeUs;
      minTimeUs = Math.min(minTimeUs, time);
      maxTimeUs = Math.max(maxTimeUs, time);
    }
    blocks.push({ firstRow, minTimeUs, maxTimeUs, data: writer.finish() });
  }
  return blocks;
}

/** Columns, since millions of rows pass through here. */
export interface DirectoryColumns {
  readonly timesUs: Float64Array;
  readonly storedUs: Float64Array;
}

export function decodeDirectory(data: Uint8Array): DirectoryColumns {
  const timesUs = new Float64Array(DIRECTORY_ROWS);
  const storedUs = new Float64Array(DIRECTORY_ROWS);
  const reader = new VarintReader(data);
  let n = 0;
  for (let stored = 0, time = 0; !reader.done && n < DIRECTORY_ROWS; n++) {
    stored += reader.number();
    time += reader.signed();
    storedUs[n] = stored;
    timesUs[n] = time;
  }
  return { timesUs: timesUs.subarray(0, n), storedUs: storedUs.subarray(0, n) };
}
