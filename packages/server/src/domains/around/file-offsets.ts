import type { EpochUs } from "@halvik/core/base/time";
import type { HalvikRecord } from "@halvik/core/model/record";
import { type SharedOffset, sharedOffsets } from "@halvik/core/model/senders";
import type { Pool } from "../../kernel/db/pool.js";
import { collectorOf } from "../../store/record-id.js";
import { importOfRecord } from "../../store/segments.js";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";
import { nearest } from "./around.js";

/** Records of a file that are looked at, on both sides of one. */
const LOOKED_AT = 2_000;

/** How far the clock of a record's sender was from that of the one that is looked at; null: nothing is known of it. */
export type OffsetOf = (record: HalvikRecord) => SharedOffset | null;

/** How far the clocks of the senders of a record's file were from its own sender's, by what both told of around it. */
export async function fileOffsets(
  { db, ask }: { readonly db: Pool; readonly ask: Ask },
  record: HalvikRecord,
  nowUs: EpochUs,
): Promise<OffsetOf> {
  const file = record.marks.includes("imported") ? await importOfRecord(db, record.id) : null;
  if (file === null) return () => null;
  const collector = collectorOf(record.id);
  const isOfFile = ({ id }: HalvikRecord) =>
    collectorOf(id) === collector && BigInt(id) >= file.low && BigInt(id) <= file.high;
  const { records } = await nearest(ask, ownFilter("mark is imported"), record, LOOKED_AT, nowUs);
  const offsets = sharedOffsets([record, ...records].filter(isOfFile), record.sender);
  // the others are held against its own clock
  const own: SharedOffset | null = offsets.size === 0 ? null : { offsetUs: 0, uncertaintyUs: 0, events: 0 };
  return (r) => (!isOfFile(r) ? null : r.sender === record.sender ? own : (offsets.get(r.sender) ?? null));
}
