import * as z from "zod";
import { CHANGES } from "../contrast/index.js";
import { MAX_FILTER_LENGTH } from "../query/filter/index.js";

const Moment = z.iso.datetime({ offset: true });
const Window = { from: Moment, to: Moment };
const Filter = z.string().max(MAX_FILTER_LENGTH).default("");
const Zone = z.string().max(64).optional();
const Short = z.string().max(300);

/** Steps and lines of a chart that is pinned. */
const MOST_SERIES = 12;
const MOST_STEPS = 2_000;
/** Differences that are kept of what changed. */
export const MOST_DIFFERENCES = 50;

/** A chart as data: the figures a person saw. */
export const Chart = z
  .strictObject({
    title: z.string().trim().min(1).max(200),
    /** Of the figures: records, bit/s … */
    unit: z.string().max(40),
    filter: Filter,
    /** Where each step begins, and one more for the end of the last. */
    steps: z
      .array(z.iso.datetime())
      .min(2)
      .max(MOST_STEPS + 1),
    /** Null: nothing is known of the step, which is no 0. */
    series: z
      .array(z.strictObject({ name: Short, values: z.array(z.number().nullable()).max(MOST_STEPS) }))
      .min(1)
      .max(MOST_SERIES),
  })
  .refine(({ steps, series }) => series.every((s) => s.values.length === steps.length - 1), {
    message: "expected a value, or null, for each step",
    path: ["series"],
  });
export type Chart = z.infer<typeof Chart>;

/** What a person pins. All but charts and files are looked up by who keeps them: what was seen is not taken at its word. */
export const Pinnable = z.discriminatedUnion("is", [
  z.strictObject({ is: z.literal("record"), id: z.string().regex(/^\d{1,19}$/, "expected a record id: digits") }),
  z.strictObject({ is: z.literal("search"), filter: Filter, zone: Zone, ...Window }),
  z.strictObject({ is: z.literal("shape"), id: z.int().positive(), filter: Filter, zone: Zone, ...Window }),
  z.strictObject({
    is: z.literal("contrast"),
    filter: Filter,
    zone: Zone,
    ...Window,
    /** Windows it is held against; or another filter. */
    against: z.array(z.strictObject(Window)).max(8).optional(),
    other: z.string().max(MAX_FILTER_LENGTH).optional(),
    per: z.enum(["time", "records"]).default("time"),
  }),
  z.strictObject({
    is: z.literal("portrait"),
    kind: z.enum(["address", "host", "user"]),
    value: z.string().trim().min(1).max(200),
    zone: Zone,
    ...Window,
  }),
  z.strictObject({ is: z.literal("incident"), id: z.int().positive() }),
  z.strictObject({ is: z.literal("chart"), chart: Chart }),
]);
export type Pinnable = z.infer<typeof Pinnable>;

/** How many there were when it was pinned; not exact: at least. */
const Counted = { count: z.int(), isExact: z.boolean() };

/** What is kept of what was pinned, as it was then. */
export const Pinned = z.discriminatedUnion("is", [
  z.object({ is: z.literal("record"), id: z.string() }),
  z.object({
    is: z.literal("search"),
    filter: z.string(),
    /** The filter in words. */
    reading: z.string(),
    zone: z.string(),
    ...Window,
    ...Counted,
    /** What may be missing from the answer, in words; empty: nothing that is known of. */
    lacking: z.string(),
  }),
  z.object({
    is: z.literal("shape"),
    id: z.int(),
    text: z.string(),
    name: z.string(),
    filter: z.string(),
    zone: z.string(),
    ...Window,
    ...Counted,
    /** When it came for the first time ever. */
    first: z.string(),
  }),
  z.object({
    is: z.literal("contrast"),
    filter: z.string(),
    zone: z.string(),
    ...Window,
    against: z.array(z.object(Window)),
    other: z.string().nullable(),
    per: z.enum(["time", "records"]),
    lines: z.array(
      z.object({
        by: z.string(),
        label: z.string(),
        part: z.string(),
        a: z.int(),
        b: z.int(),
        change: z.enum(CHANGES),
        surprise: z.number(),
      }),
    ),
    others: z.int(),
    isCounted: z.boolean(),
  }),
  z.object({
    is: z.literal("portrait"),
    kind: z.enum(["address", "host", "user"]),
    value: z.string(),
    zone: z.string(),
    ...Window,
    ...Counted,
    /** What was known of it then, a name and a text each. */
    facts: z.array(z.tuple([z.string(), z.string()])),
  }),
  z.object({
    is: z.literal("incident"),
    id: z.int(),
    title: z.string(),
    severity: z.string(),
    state: z.string(),
    first: z.string(),
    last: z.string(),
    count: z.int(),
    /** What happened, a sentence a line. */
    story: z.array(z.string()),
    entities: z.array(z.object({ field: z.string(), value: z.string() })),
    techniques: z.array(z.string()),
  }),
  z.object({ is: z.literal("chart"), chart: Chart }),
  z.object({
    is: z.literal("file"),
    name: z.string(),
    bytes: z.int(),
    sha256: z.string(),
    /** A picture that browsers show, by its first bytes and never by its name; null: any other file. */
    picture: z.enum(["image/png", "image/jpeg", "image/gif", "image/webp"]).nullable(),
  }),
]);
export type Pinned = z.infer<typeof Pinned>;

export const MOST_REASON = 2_000;
export const Reason = z.string().trim().max(MOST_REASON);

/** The window a pin is of, as text; null: it is of one moment, or of none. */
export function windowOfPin(pinned: Pinned): { readonly from: string; readonly to: string } | null {
  switch (pinned.is) {
    case "record":
    case "file":
      return null;
    case "incident":
      return { from: pinned.first, to: pinned.last };
    case "chart":
      return { from: pinned.chart.steps[0]!, to: pinned.chart.steps[pinned.chart.steps.length - 1]! };
    default:
      return { from: pinned.from, to: pinned.to };
  }
}
