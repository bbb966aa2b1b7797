import * as z from "zod";
import { SENDER_TRAITS } from "../../model/senders/index.js";
import { MAX_FILTER_LENGTH } from "../filter/index.js";

/** By how many things at once a measure is told apart. */
export const MOST_GROUPINGS = 2;
/** Rows of an answer that asks for all of them. */
export const MOST_ROWS = 1_000;

/** Where clocks of the zone stand; whole days are those of the zone too. */
export const CLOCKS = ["hour of day", "day of week"] as const;
export type Clock = (typeof CLOCKS)[number];

/** What records carry that can be reckoned with: a field of the table, or a named value that holds numbers. */
export const NumberOf = z.union([
  z.strictObject({ field: z.enum(["bytes", "packets"]) }),
  z.strictObject({ data: z.string().min(1).max(256) }),
]);
export type NumberOf = z.infer<typeof NumberOf>;

/** A field of the table whose values can be counted, or a named value. Whether there is such a field is checked by who reads it. */
export const ValueOf = z.union([
  z.strictObject({ field: z.string().min(1).max(64) }),
  z.strictObject({ data: z.string().min(1).max(256) }),
]);

/** What records are told apart by. */
export const Grouping = z.union([
  ...ValueOf.options,
  z.strictObject({ sender: z.enum(SENDER_TRAITS) }),
  z.strictObject({ clock: z.enum(CLOCKS) }),
]);
export type Grouping = z.infer<typeof Grouping>;

/** What is made of the numbers of the records of a group. */
export const OF_NUMBERS = ["sum", "average", "least", "greatest", "p50", "p95", "p99"] as const;

/** What a measure tells of the records of a group. */
export const Figure = z.discriminatedUnion("of", [
  z.strictObject({ of: z.literal("records") }),
  z.strictObject({ of: z.enum(OF_NUMBERS), number: NumberOf }),
  z.strictObject({ of: z.literal("distinct"), values: ValueOf }),
  /** How many different values came for the first time: no record before that is kept, of those that match, has them. */
  z.strictObject({ of: z.literal("first seen"), values: ValueOf }),
  /** How many match this filter too, for each that matches the other one too. */
  z.strictObject({
    of: z.literal("ratio"),
    filter: z.string().min(1).max(MAX_FILTER_LENGTH),
    to: z.string().min(1).max(MAX_FILTER_LENGTH),
  }),
  /** Of all records that match: which part matches this filter too. */
  z.strictObject({ of: z.literal("share"), filter: z.string().min(1).max(MAX_FILTER_LENGTH) }),
]);
export type Figure = z.infer<typeof Figure>;
/** What is told from the records of a group as they come; all else is made of counts. */
export type Accumulated = Exclude<Figure, { of: "share" | "ratio" | "first seen" }>;

/** What changed most against the period before comes first: without one it is the most. */
export const ORDERS = ["most", "least", "changed"] as const;
/** What its values are counted in, where whoever made it knows better: named values say nothing of that. */
export const UnitOf = z.string().trim().min(1).max(24).optional();

export const MeasureAsked = z.strictObject({
  source: z.literal("records").optional(),
  figure: Figure.default({ of: "records" }),
  filter: z.string().max(MAX_FILTER_LENGTH).default(""),
  by: z.array(Grouping).max(MOST_GROUPINGS).default([]),
  /** By how much of it there is, or the least of it first; by the clock the order is that of the clock. */
  order: z.enum(ORDERS).default("most"),
  /** How many rows; 0: all, as far as {@link MOST_ROWS}. */
  top: z.int().min(0).max(100).default(10),
  /** As so much a second of the time it is measured over. */
  perSecond: z.boolean().default(false),
  unit: UnitOf,
});
export type MeasureAsked = z.infer<typeof MeasureAsked>;

/** Whether what it tells of parts adds up to what it tells of the whole, and so can be told by the second too. */
export const addsUp = ({ of }: Figure): boolean => of === "records" || of === "sum";
