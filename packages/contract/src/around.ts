import { MAX_FILTER_LENGTH } from "@halvik/core/query/filter";
import * as z from "zod";
import { RecordId } from "./common.js";
import { RecordJson } from "./records.js";

/** What records around another have in common with it; `time`: nothing but when they came. */
export const AROUND_BY = ["time", "sender", "host", "user", "address", "interface", "session", "bindings"] as const;
export type AroundBy = (typeof AROUND_BY)[number];

export const AroundQuery = z.object({
  by: z.enum(AROUND_BY).default("time"),
  /** How many records, the nearest. */
  count: z
    .union([z.string().regex(/^\d{1,3}$/), z.int()])
    .transform(Number)
    .pipe(z.int().min(1).max(500))
    .default(40),
  /** Only those that match this too. */
  filter: z.string().max(MAX_FILTER_LENGTH).default(""),
  zone: z.string().max(64).optional(),
  /** The same records in the order of clocks put right. */
  corrected: z.enum(["true", "false"]).default("false"),
});

export const AroundAnswer = z.object({
  /** The nearest first. */
  records: z.array(
    z.object({
      record: RecordJson,
      /** Before it: less than 0. */
      afterMs: z.number(),
      /** The same with both clocks put right, and whether which came first is told by them; null: nothing is known of a clock. */
      correctedAfterMs: z.number(),
      isUncertain: z.boolean().nullable(),
    }),
  ),
  /** What it looked for, as a filter; empty: everything. */
  part: z.string(),
  /** By what else this record has something around it. */
  by: z.array(z.enum(AROUND_BY)),
  /** The time for looking ended before it was certain that none is nearer. */
  partial: z.boolean(),
});
export type AroundAnswer = z.infer<typeof AroundAnswer>;

export const AroundParams = z.object({ id: RecordId });
