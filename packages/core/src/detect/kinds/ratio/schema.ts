import * as z from "zod";
import { common, everySeconds, key, ruleFilter } from "../../schema/parts.js";
import { lookEverySeconds } from "../measured/look.js";

/** The part of `of` that matches `filter`. */
export const RatioRule = z.object({
  kind: z.literal("ratio"),
  ...common,
  filter: ruleFilter,
  of: ruleFilter,
  key,
  everySeconds,
  lookEverySeconds,
  /** Stretches with fewer records say nothing. */
  least: z.int().min(1).default(20),
  side: z.enum(["over", "under"]).default("over"),
  raiseAt: z.number().min(0).max(1),
  clearAt: z.number().min(0).max(1),
});
export type RatioRule = z.infer<typeof RatioRule>;
