import * as z from "zod";
import { CATEGORIES, OUTCOMES } from "../model/record/index.js";

const words = (most: number) => z.string().trim().max(most);

/** `name` or `name:type`; nothing: what stands there is passed over. */
const ValueName = words(80);

/** How a line is taken apart. */
export const Form = z.discriminatedUnion("is", [
  /** Text with `{name:type}` where values stand (docs/formats.md). */
  z.object({
    is: z.literal("line"),
    template: z.string().min(1, "the line with its values is empty: mark a part of a line, or write it").max(4_000),
  }),
  /** `name=value` between separators. */
  z.object({ is: z.literal("pairs"), between: z.enum([" ", ",", ";", "|", "\t"]), equals: z.enum(["=", ":"]) }),
  z.object({ is: z.literal("json") }),
  /** Values parted by a sign, in their order; quotes as in RFC 4180. */
  z.object({
    is: z.literal("columns"),
    by: z.enum([",", ";", "|", "\t", " "]),
    names: z.array(ValueName).min(1).max(200),
  }),
  /** Values at places of the line, counted from 0; `to` is the first place after it, and absent for the rest. */
  z.object({
    is: z.literal("positions"),
    columns: z
      .array(z.object({ from: z.int().min(0).max(65_535), to: z.int().min(1).max(65_536).optional(), name: ValueName }))
      .min(1)
      .max(100),
  }),
]);
export type Form = z.infer<typeof Form>;

/** Fields whose words a format may translate. */
export const WORDED = ["severity", "outcome", "action", "category"] as const;

/** How lines of a program that nobody else knows become typed values. */
export const OwnFormat = z.object({
  name: words(80).min(1, "a name is needed"),
  /** Which records it is tried on, in the words of the filter language; empty: every one with a text. */
  filter: words(4_000).default(""),
  form: Form,
  /** Of pairs and JSON: what the value under a name is, as `name:type`; nothing: it is left out. */
  names: z.record(z.string().max(200), ValueName).default({}),
  /** What holds of every record it fits. */
  sets: z
    .object({
      category: z.enum(CATEGORIES).optional(),
      outcome: z.enum(OUTCOMES).optional(),
      severity: z.int().min(0).max(7).optional(),
      app: words(120).min(1).optional(),
      event: words(120).min(1).optional(),
    })
    .default({}),
  /** What its own words for a field mean: `{ "severity": { "WRN": "warning" } }`. */
  words: z.partialRecord(z.enum(WORDED), z.record(words(80), words(40))).default({}),
  /** Lines that it must fit whenever it is saved. */
  examples: z.array(z.string().min(1).max(8_000)).max(20).default([]),
});
export type OwnFormat = z.infer<typeof OwnFormat>;

/** Why a format cannot be: in words for whoever wrote it. */
export class FormatError extends Error {
  readonly code = "BAD_FORMAT";
}
