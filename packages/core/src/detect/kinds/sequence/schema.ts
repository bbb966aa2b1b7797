import * as z from "zod";
import { common, fieldName, key, ruleFilter, seconds } from "../../schema/parts.js";

const Step = z.object({
  name: z.string().max(80).default(""),
  filter: ruleFilter,
  /** The fields that carry the key in this step, when others than the rule's: what was a destination may now be a source. */
  key: key.optional(),
  count: z.int().min(1).max(1_000).default(1),
  withinSeconds: seconds.optional(),
  /** No such record may come. */
  absent: z.boolean().default(false),
});

/** Steps in order with one key. */
export const SequenceRule = z.object({
  kind: z.literal("sequence"),
  ...common,
  key,
  steps: z.array(Step).min(2).max(8),
  /** A field whose value all steps share besides the key, where their records have it: the address that guessed is the one that was let in. */
  along: fieldName.optional(),
  windowSeconds: seconds,
});
export type SequenceRule = z.infer<typeof SequenceRule>;
