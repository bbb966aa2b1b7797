import * as z from "zod";
import { common, fieldName, key, ruleFilter, seconds } from "../../schema/parts.js";

/** `count` different values of a field. */
export const DistinctRule = z.object({
  kind: z.literal("distinct"),
  ...common,
  filter: ruleFilter,
  key,
  of: fieldName,
  count: z.int().min(2).max(10_000),
  windowSeconds: seconds,
});
export type DistinctRule = z.infer<typeof DistinctRule>;
