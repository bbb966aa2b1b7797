import * as z from "zod";
import { STEPS } from "../base/time/index.js";
import { MAX_FILTER_LENGTH } from "../query/filter/index.js";
import { AnyMeasure, WeekMeasure } from "../query/measure/index.js";
import { Period } from "./period.js";

export const MOST_PARTS = 40;
/** Bands that can be told from one another by weight alone. */
export const MOST_BANDS = 5;

const Titled = { title: z.string().trim().min(1, "expected a title").max(120) };
const Compared = {
  /** Beside the period before. */
  compare: z.boolean().default(false),
};
const ofGroups = z.refine<AnyMeasure>((m) => m.by.length > 0, {
  message: "expected the field it is grouped by",
  path: ["by"],
});

/** What Halvik knows of itself, beside what records tell. */
export const OWN_FIGURES = [
  "incidents opened",
  "incidents ended",
  "incidents that need somebody now",
  "median time to acknowledge",
  "closed as false or expected",
  "notifications sent",
  "notifications withheld",
  "records arrived",
  "records dropped on arrival",
  "datagrams lost or refused",
  "flow records missing by sequence",
  "time nobody listened",
  "senders silent now",
  "days that records are kept",
] as const;
export type OwnFigure = (typeof OWN_FIGURES)[number];

export const Part = z.discriminatedUnion("is", [
  z.strictObject({ is: z.literal("text"), markdown: z.string().min(1).max(20_000) }),
  z.strictObject({ is: z.literal("figure"), ...Titled, ...Compared, measure: AnyMeasure }),
  z.strictObject({ is: z.literal("bars"), ...Titled, ...Compared, measure: AnyMeasure.check(ofGroups) }),
  z.strictObject({ is: z.literal("table"), ...Titled, ...Compared, measure: AnyMeasure.check(ofGroups) }),
  z.strictObject({
    is: z.literal("course"),
    ...Titled,
    ...Compared,
    measure: AnyMeasure,
    /** "fitting": so that the period has a few dozen of them. */
    step: z.enum(["fitting", ...STEPS]).default("fitting"),
  }),
  /** Bands over time, by what it is told apart by: the greatest, and all others together. */
  z.strictObject({
    is: z.literal("profile"),
    ...Titled,
    measure: AnyMeasure.check(
      ofGroups,
      z.refine((m) => m.by.length === 1, { message: "expected one field that it is grouped by", path: ["by"] }),
    ),
    step: z.enum(["fitting", ...STEPS]).default("fitting"),
  }),
  /** Hours of the day by days of the week. */
  z.strictObject({
    is: z.literal("hours of the week"),
    ...Titled,
    measure: WeekMeasure,
  }),
  z.strictObject({
    is: z.literal("incidents"),
    ...Titled,
    /** This or worse: 0 is emergency, 7 debug. */
    worst: z.int().min(0).max(7).default(4),
    most: z.int().min(1).max(100).default(20),
    /** What happened, act by act. */
    stories: z.boolean().default(false),
  }),
  z.strictObject({
    is: z.literal("records"),
    ...Titled,
    filter: z.string().max(MAX_FILTER_LENGTH).default(""),
    most: z.int().min(1).max(200).default(20),
  }),
  z.strictObject({
    is: z.literal("own figures"),
    ...Titled,
    ...Compared,
    figures: z.array(z.enum(OWN_FIGURES)).min(1).max(OWN_FIGURES.length),
  }),
]);
export type Part = z.infer<typeof Part>;

/** What may be asked of whoever runs it: of which senders it shall tell. */
export const ASKS = ["nothing", "sender", "group", "site"] as const;

/** A report: named parts in an order, over a period. */
export const ReportDefinition = z.strictObject({
  name: z.string().trim().min(1, "expected a name").max(80),
  about: z.string().trim().max(400).default(""),
  period: Period,
  asks: z.enum(ASKS).default("nothing"),
  /** Holds for all of its parts. */
  filter: z.string().max(MAX_FILTER_LENGTH).default(""),
  parts: z.array(Part).min(1, "expected a part").max(MOST_PARTS),
});
export type ReportDefinition = z.infer<typeof ReportDefinition>;
