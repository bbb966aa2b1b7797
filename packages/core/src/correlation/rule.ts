import { z } from "zod";
import { namesTime, parseFilter } from "../filter/index.js";
import { FIELDS, type FieldName, fieldNamed, SEVERITIES } from "../record/index.js";
import { formatDuration, US_PER_SECOND } from "../time/index.js";

const fieldName = z.string().refine((name): name is FieldName => fieldNamed(name) !== undefined, {
  error: `expected a field: ${FIELDS.map((f) => f.name).join(", ")}`,
});

/** A filter as rules use it: it must parse, and may not name time (`semantics.md` 19). */
const ruleFilter = z.string().superRefine((text, context) => {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok)
    context.addIssue({ code: "custom", message: `column ${parsed.error.span.start + 1}: ${parsed.error.message}` });
  else if (namesTime(parsed.filter))
    context.addIssue({ code: "custom", message: "a rule's filter cannot name a time: the rule has its window" });
});

const seconds = z
  .int()
  .min(1)
  .max(7 * 86_400);

/** When a raised finding ends: after silence of its own evidence, by a clearing record with the same key, or by a person. */
export const ClearCondition = z.discriminatedUnion("by", [
  z.object({ by: z.literal("quiet"), seconds }),
  z.object({ by: z.literal("record"), filter: ruleFilter }),
  z.object({ by: z.literal("hand") }),
]);

/** A count rule: `count` matching records with one key within `windowSeconds` of event time raise a finding. */
export const CountRule = z.object({
  kind: z.literal("count"),
  id: z.string().regex(/^[a-z0-9][a-z0-9-]{0,62}$/, "lower-case letters, digits and hyphens"),
  name: z.string().min(1).max(120),
  enabled: z.boolean().default(true),
  filter: ruleFilter,
  key: z.array(fieldName).min(1).max(4),
  count: z.int().min(1).max(10_000),
  windowSeconds: seconds,
  severity: z.enum(SEVERITIES),
  /** Words with `{field}` and `{count}` in them. */
  title: z.string().min(1).max(200),
  /** Fields whose values are gathered from the evidence: what the finding is about. */
  entities: z.array(fieldName).max(8).default([]),
  clear: ClearCondition,
  notes: z.string().max(4000).default(""),
});
export type CountRule = z.infer<typeof CountRule>;

/** A rule of any kind. A new kind is one more member. */
export const Rule = z.discriminatedUnion("kind", [CountRule]);
export type Rule = z.infer<typeof Rule>;

/** A rule said in one sentence. */
export function sayRule(rule: Rule): string {
  const times = rule.count === 1 ? "one record" : `${rule.count} records within ${inWords(rule.windowSeconds)}`;
  return `Raise ${rule.severity} when ${times} with the same ${rule.key.join(" and ")} match: ${rule.filter}. It clears ${sayClear(rule)}.`;
}

/** When a rule's findings end, said in words. */
export function sayClear(rule: Rule): string {
  switch (rule.clear.by) {
    case "quiet":
      return `after ${inWords(rule.clear.seconds)} without one`;
    case "record":
      return `by a record that matches: ${rule.clear.filter}`;
    case "hand":
      return "by hand only";
  }
}

const inWords = (seconds: number): string => formatDuration(seconds * US_PER_SECOND);
