import * as z from "zod";
import { oneLine, storable } from "../base/text/index.js";
import { Form, ValueName } from "../decode/lines/index.js";
import { CATEGORIES, OUTCOMES } from "../model/record/index.js";

/** Fields whose words a format may translate. */
export const WORDED = ["severity", "outcome", "action", "category"] as const;

/** How lines of a program that nobody else knows become typed values. */
export const OwnFormat = z.object({
  name: oneLine(80).min(1, "a name is needed"),
  /** Which records it is tried on, in the words of the filter language; empty: every one with a text. */
  filter: oneLine(4_000).default(""),
  form: Form,
  /** Of pairs and JSON: what the value under a name is, as `name:type`; nothing: it is left out. */
  names: z.record(storable(200), ValueName).default({}),
  /** What holds of every record it fits. */
  sets: z
    .object({
      category: z.enum(CATEGORIES).optional(),
      outcome: z.enum(OUTCOMES).optional(),
      severity: z.int().min(0).max(7).optional(),
      app: oneLine(120).min(1).optional(),
      event: oneLine(120).min(1).optional(),
    })
    .default({}),
  /** What its own words for a field mean: `{ "severity": { "WRN": "warning" } }`. */
  words: z.partialRecord(z.enum(WORDED), z.record(storable(80), oneLine(40))).default({}),
  /** Lines that it must fit whenever it is saved. */
  examples: z.array(storable(8_000).min(1)).max(20).default([]),
});
export type OwnFormat = z.infer<typeof OwnFormat>;
