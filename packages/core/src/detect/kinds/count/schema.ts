import * as z from "zod";
import { common, key, ruleFilter, seconds } from "../../schema/parts.js";

/** `count` matching records with one key within `windowSeconds` of event time. */
export const CountRule = z.object({
  kind: z.literal("count"),
  ...common,
  filter: ruleFilter,
  key,
  count: z.int().min(1).max(10_000),
  windowSeconds: seconds,
});
export type CountRule = z.infer<typeof CountRule>;
