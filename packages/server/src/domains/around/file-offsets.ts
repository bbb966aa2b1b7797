import type { EpochUs } from "@halvik/core/base/time";
import type { HalvikRecord } from "@halvik/core/model/record";
import { type SharedOffset, sharedOffsets } from "@halvik/core/model/senders";
import { collectorOf } from "../../store/record-id.js";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";
import { nearest } from "./around.js";

/** Records of a file that are looked at, on both sides of one. */
const LOOKED_AT = 2_000;

/** Whether two came from files that one collector read in: what each brings in goes by a number of its own. */
export const isOfSameFile = (a: HalvikRecord, b: HalvikRecord): boolean =>
  a.marks.includes("imported") && b.marks.includes("imported") && collectorOf(a.id) === collectorOf(b.id);

/** How far the clocks of the other senders of a record's file were from its own sender's, by what both told of around it. */
export async function fileOffsets(
  { ask }: { readonly ask: Ask },
  record: HalvikRecord,
  nowUs: EpochUs,
): Promise<ReadonlyMap<number, SharedOffset>> {
  if (!record.marks.includes("imported")) return new Map();
  const { records } = await nearest(ask, ownFilter("mark is imported"), record, LOOKED_AT, nowUs);
  const offsets = sharedOffsets(
    [record, ...records].filter((r) => isOfSameFile(r, record)),
    record.sender,
  );
  // the others are held against its own clock
  return offsets.size === 0
    ? offsets
    : new Map([...offsets, [record.sender, { offsetUs: 0, uncertaintyUs: 0, events: 0 }]]);
}
