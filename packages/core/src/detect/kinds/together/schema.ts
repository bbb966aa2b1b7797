import * as z from "zod";
import { common, key, ruleFilter, seconds } from "../../schema/parts.js";

/** Several things in any order with one key. */
export const TogetherRule = z.object({
  kind: z.literal("together"),
  ...common,
  key,
  parts: z
    .array(z.object({ name: z.string().max(80).default(""), filter: ruleFilter, key: key.optional() }))
    .min(2)
    .max(8),
  /** So many of the parts suffice; all when absent. */
  atLeast: z.int().min(2).max(8).optional(),
  windowSeconds: seconds,
});
export type TogetherRule = z.infer<typeof TogetherRule>;
