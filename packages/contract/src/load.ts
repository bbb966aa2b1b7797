import { CLOSE_REASONS } from "@halvik/core/respond/incidents";
import * as z from "zod";
import { TimeText } from "./common.js";

export const LoadQuery = z.object({
  from: TimeText,
  to: TimeText,
  /** Messages that reached this one, instead of incidents raised. */
  person: z.string().max(320).optional(),
  /** Without what was found in imported history. */
  live: z.enum(["true", "false"]).default("false"),
});

const Share = z.object({ count: z.int(), share: z.number() });
const Spread = z.object({
  /** Of how many it is known. */
  of: z.int(),
  /** Seconds; null: of none. */
  median: z.number().nullable(),
  nineOfTen: z.number().nullable(),
});

/** The load of alarms in a window. */
export const LoadAnswer = z.object({
  alarms: z.int(),
  /** Of those: found in imported history, for which nobody was called. */
  imported: z.int(),
  /** More than can be counted: the newest of them. */
  isCut: z.boolean(),
  stepSeconds: z.int(),
  steps: z.array(z.object({ from: TimeText, count: z.int(), severe: z.int() })),
  floods: z.array(z.object({ from: TimeText, to: TimeText, alarms: z.int() })),
  severities: z.object({ high: z.number(), medium: z.number(), low: z.number() }),
  figures: z.array(
    z.object({
      name: z.string(),
      value: z.number(),
      unit: z.enum(["number", "share"]),
      good: z.number(),
      bearable: z.number(),
      source: z.string(),
      band: z.enum(["good", "bearable", "too much"]),
    }),
  ),
  rules: z.array(Share.extend({ id: z.string(), name: z.string(), falseOrExpected: z.int(), closed: z.int() })),
  senders: z.array(Share.extend({ name: z.string() })),
  people: z.array(z.object({ to: z.string(), messages: z.int(), mostInTenMinutes: z.int() })),
  acknowledged: Spread,
  ended: Spread,
  closedAs: z.record(z.enum(CLOSE_REASONS), z.int()),
});
export type LoadAnswer = z.infer<typeof LoadAnswer>;

export const SuggestionsQuery = z.object({ days: z.coerce.number().int().min(1).max(90).default(30) });

/** Changes of rules by which less would have come. */
export const Suggestions = z.object({
  days: z.int(),
  suggestions: z.array(
    z.object({
      rule: z.string(),
      name: z.string(),
      kind: z.enum(["hold", "threshold", "clear", "shelving", "suppression", "key"]),
      says: z.string(),
      /** Findings there were, and those that surely would not have come by themselves. */
      came: z.int(),
      without: z.int(),
      expectedOrFalse: z.int(),
      /** The rule's file with the change. */
      text: z.string(),
      /** Names of the rule's own tests that it would fail with it. */
      failing: z.array(z.string()),
    }),
  ),
});
export type Suggestions = z.infer<typeof Suggestions>;
