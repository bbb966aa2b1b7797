import { ArrivalRule } from "@halvik/core/arrive";
import * as z from "zod";
import { TimeText } from "./common.js";

export const ArrivalRuleJson = z
  .object({
    id: z.int(),
    rule: ArrivalRule,
    enabled: z.boolean(),
    /** What it does, in words. */
    says: z.string(),
    /** Why it does not run: its filter names what is gone. */
    broken: z.string().nullable(),
    author: z.string(),
    changed: TimeText,
    /** Records it met in the last day and week, and what of the week it dropped. */
    day: z.number(),
    week: z.number(),
    dropped: z.number(),
    droppedBytes: z.number(),
    /** The last hour in which it met one. */
    last: TimeText.nullable(),
    samples: z.array(z.object({ at: TimeText, sender: z.string(), text: z.string() })),
  })
  .meta({ id: "ArrivalRule" });
export type ArrivalRuleJson = z.infer<typeof ArrivalRuleJson>;

export const ArrivalRuleList = z.object({
  rules: z.array(ArrivalRuleJson),
  /** Days that may still be chosen beside those in use: records of each lie apart. */
  days: z.array(z.int()),
});
export type ArrivalRuleList = z.infer<typeof ArrivalRuleList>;

export const ArrivalRuleChange = z.object({ rule: ArrivalRule.optional(), enabled: z.boolean().optional() });
export const ArrivalRuleOrder = z.object({ ids: z.array(z.int()).max(200) });

/** What a rule would have met in the last 24 hours. */
export const ArrivalPreview = z.object({
  says: z.string(),
  met: z.number(),
  /** Of so many. */
  of: z.number(),
  /** False: there was no time to count all; so many at least. */
  exact: z.boolean(),
  senders: z.int(),
  /** Octets of the store a day. */
  bytesADay: z.number(),
  examples: z.array(z.object({ at: TimeText, sender: z.string(), says: z.string() })),
  /** Of what is dropped: rules of correlation that such records mattered to. */
  rules: z.array(z.object({ id: z.string(), name: z.string() })),
  /** False: there was no time to ask for every rule; such records may matter to others, too. */
  allRules: z.boolean(),
});
export type ArrivalPreview = z.infer<typeof ArrivalPreview>;
