import { LONGEST_SIGHTED, SIGHTED } from "@halvik/core/model/record";
import * as z from "zod";
import { TimeText } from "./common.js";

export const SeenQuery = z.object({ of: z.enum(SIGHTED), value: z.string().min(1).max(LONGEST_SIGHTED) });

/** When a value was first and last seen, in all there ever was, whether its records are still kept or not. */
export const SeenAnswer = z.object({
  /** Absent: never. */
  first: TimeText.optional(),
  last: TimeText.optional(),
  records: z.int(),
  /** In a store that had records before: what was stored from here on is known; absent: all there ever was. */
  since: TimeText.optional(),
  /** Values that were let go of to make room, and up to when those were seen: what is not there may have been among them. */
  evicted: z.int(),
  evictedBefore: TimeText.optional(),
});
export type SeenAnswer = z.infer<typeof SeenAnswer>;
