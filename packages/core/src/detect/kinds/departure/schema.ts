import * as z from "zod";
import { common, everySeconds, fieldName, key, ruleFilter } from "../../schema/parts.js";
import { lookEverySeconds } from "../measured/look.js";

const Measure = z.discriminatedUnion("of", [
  z.object({ of: z.literal("records") }),
  z.object({ of: z.literal("sum"), field: fieldName }),
  /** How unevenly records follow one another: the median deviation of their gaps, in parts of the median gap. */
  z.object({ of: z.literal("spacing"), least: z.int().min(5).max(200).default(10) }),
  /** Each value by itself: a reading. `data` is the name of a value beyond the common fields. */
  z.object({ of: z.literal("value"), field: fieldName.optional(), data: z.string().min(1).max(120).optional() }),
]);

const line = { side: z.enum(["over", "under"]), raiseAt: z.number(), clearAt: z.number() };
const Judgement = z.discriminatedUnion("by", [
  z.object({ by: z.literal("line"), ...line }),
  z.object({
    by: z.literal("baseline"),
    side: z.enum(["over", "under", "both"]),
    z: z.number().min(1).max(100).default(3.5),
    least: z.number().min(0).default(0),
    /** And by so much of what is usual: ½ is half of it. */
    part: z.number().gt(0).max(1).optional(),
  }),
  z.object({
    by: z.literal("ewma"),
    lambda: z.number().gt(0).max(1).default(0.3),
    k: z.number().min(1).max(20).default(3),
    training: z.int().min(5).max(500).default(20),
  }),
  z.object({
    by: z.literal("cusum"),
    allowance: z.number().min(0).max(10).default(0.5),
    limit: z.number().min(0.5).max(50).default(5),
    training: z.int().min(5).max(500).default(20),
  }),
]);

/** A measure against a line, its own usual, or control limits. */
export const DepartureRule = z.object({
  kind: z.literal("departure"),
  ...common,
  filter: ruleFilter,
  key,
  measure: Measure,
  everySeconds,
  lookEverySeconds,
  judgement: Judgement,
});
export type DepartureRule = z.infer<typeof DepartureRule>;
