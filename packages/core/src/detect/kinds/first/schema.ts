import * as z from "zod";
import { common, days, key, ruleFilter } from "../../schema/parts.js";

/** A combination of values not seen for `unseenDays`. */
export const FirstRule = z.object({
  kind: z.literal("first"),
  ...common,
  filter: ruleFilter,
  key: key.min(1),
  unseenDays: days,
  learningDays: days,
});
export type FirstRule = z.infer<typeof FirstRule>;
