import * as z from "zod";
import { common, key, ruleFilter, seconds } from "../../schema/parts.js";

/** What has spoken says nothing for `afterSeconds`. */
export const SilenceRule = z.object({
  kind: z.literal("silence"),
  ...common,
  filter: ruleFilter,
  key: key.min(1),
  afterSeconds: seconds,
});
export type SilenceRule = z.infer<typeof SilenceRule>;
