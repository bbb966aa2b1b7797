import { CHANGES, COMPARED_PER } from "@halvik/core/contrast";
import { MAX_FILTER_LENGTH } from "@halvik/core/query/filter";
import * as z from "zod";
import { TimeText } from "./common.js";
import { RecordQuery } from "./records.js";
import { ShapeJson } from "./shapes.js";

/** By what two sets of records are compared. Those that are soon counted come first. */
export const CONTRAST_FIELDS = [
  "shape",
  "sender",
  "severity",
  "category",
  "app",
  "event",
  "host",
  "user",
  "src",
  "dst",
  "dst port",
  "pair",
] as const;
export type ContrastField = (typeof CONTRAST_FIELDS)[number];

/** Windows to compare with at most: the same hours of the four weeks before. */
export const MOST_WINDOWS = 8;
const LONGEST_WINDOWS = MOST_WINDOWS * 2 * 32;

const WindowJson = z.object({ from: TimeText, to: TimeText });

export const ContrastQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true }).extend({
  /** Windows it is compared with, as intervals of ISO 8601, `from/to`, separated by commas; all together are one side. */
  against: z.string().max(LONGEST_WINDOWS).optional(),
  /** Or, in the same window, the records of another filter. */
  other: z.string().max(MAX_FILTER_LENGTH).optional(),
  /** Of {@link CONTRAST_FIELDS}, separated by commas; without it all. */
  by: z.string().max(200).optional(),
  per: z.enum(COMPARED_PER).default("time"),
  limit: z
    .union([z.string().regex(/^\d{1,4}$/), z.int()])
    .transform(Number)
    .pipe(z.int().min(1).max(1_000))
    .default(100),
});

export const ContrastLine = z.object({
  by: z.enum(CONTRAST_FIELDS),
  value: z.string(),
  /** As a person reads it. */
  label: z.string(),
  /** The records that have it, as a filter. */
  part: z.string(),
  shape: ShapeJson.optional(),
  a: z.int(),
  b: z.int(),
  change: z.enum(CHANGES),
  /** G². */
  surprise: z.number(),
  falseShare: z.number(),
  /** How many times as often; absent where there are none on one side. */
  ratio: z.number().optional(),
});
export type ContrastLine = z.infer<typeof ContrastLine>;

export const ContrastAnswer = z.object({
  differences: z.array(ContrastLine),
  /** Differences beyond those told, and how many values were compared. */
  others: z.int(),
  compared: z.int(),
  a: z.object({ records: z.int(), seconds: z.number() }),
  b: z.object({ records: z.int(), seconds: z.number() }),
  /** Whether both sides were counted to their end: else nothing is told of how they differ. */
  isCounted: z.boolean(),
  window: WindowJson,
  /** As far as records of them are kept. */
  against: z.array(WindowJson),
  /** Records are kept from here on, and not of all that was asked for. */
  keptFrom: TimeText.optional(),
  tookMs: z.number(),
});
export type ContrastAnswer = z.infer<typeof ContrastAnswer>;
