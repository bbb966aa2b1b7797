import { type Count, countFromJson, countToJson } from "./count.js";
import type { HalvikRecord } from "./record.js";

/** A record as text that stands for itself, without the bytes that are kept beside it. */
export const keepRecord = (record: HalvikRecord): string =>
  JSON.stringify({
    ...record,
    raw: null,
    // each by its name: a function that is asked of every member costs more than all the rest
    bytes: countToJson(record.bytes),
    packets: countToJson(record.packets),
    flow: record.flow && {
      ...record.flow,
      reverseBytes: countToJson(record.flow.reverseBytes),
      reversePackets: countToJson(record.flow.reversePackets),
    },
  });

/** The other way round. @param text what `keepRecord` gave */
export function readKept(text: string): HalvikRecord {
  const kept = JSON.parse(text) as HalvikRecord;
  const count = (c: Count | null): Count | null => c && countFromJson(c as number | string);
  return {
    ...kept,
    bytes: count(kept.bytes),
    packets: count(kept.packets),
    flow: kept.flow && {
      ...kept.flow,
      reverseBytes: count(kept.flow.reverseBytes),
      reversePackets: count(kept.flow.reversePackets),
    },
  };
}
