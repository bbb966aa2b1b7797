import * as z from "zod";
import { WEEKDAYS } from "../../base/time/index.js";
import { FIELDS, type FieldName, fieldNamed, SEVERITIES } from "../../model/record/index.js";
import { MAX_FILTER_LENGTH, namesTime, parseFilter, savedFilterNames } from "../../query/filter/index.js";
import { RuleTest } from "./samples.js";

export const DAY_SECONDS = 86_400;

export const fieldName = z.string().refine((name): name is FieldName => fieldNamed(name) !== undefined, {
  error: `expected a field: ${FIELDS.map((f) => f.name).join(", ")}`,
});

/** A saved filter as it was when the rule was saved: what it says later is another version's. */
export const SavedText = z.object({ name: z.string().min(1).max(120), text: z.string().max(MAX_FILTER_LENGTH) });

/** What is wrong with a filter of a rule: it must parse, and may not name time (`docs/semantics.md` 19). */
export function filterFault(text: string, saved: readonly z.infer<typeof SavedText>[]): string | null {
  const parsed = parseFilter(text, { zone: "UTC", saved });
  if (!parsed.ok) return `column ${parsed.error.span.start + 1}: ${parsed.error.message}`;
  return namesTime(parsed.filter) ? "a rule's filter cannot name a time: the rule has its window" : null;
}

/** A filter as rules use it. One that names saved filters is checked with the rule, which holds them. */
export const ruleFilter = z.string().superRefine((text, context) => {
  const message = savedFilterNames(text).length > 0 ? null : filterFault(text, []);
  if (message !== null) context.addIssue({ code: "custom", message });
});

export const seconds = z
  .int()
  .min(1)
  .max(7 * DAY_SECONDS);
export const days = z.int().min(1).max(400);
export const key = z.array(fieldName).max(4);
/** Length of a stretch in which something is measured. */
export const everySeconds = z.int().min(10).max(DAY_SECONDS).default(300);

const ruleId = z.string().regex(/^[a-z0-9][a-z0-9-]{0,62}$/, "lower-case letters, digits and hyphens");

/**
 * When a raised finding ends: after silence of its own evidence, by a clearing record with the same key, when its own condition is
 * over (the value back behind the lower line, the silent one heard again), or by a person: then one window without evidence stops it,
 * and it waits to be judged.
 */
const ClearCondition = z.discriminatedUnion("by", [
  z.object({ by: z.literal("quiet"), seconds }),
  z.object({ by: z.literal("record"), filter: ruleFilter, key: key.optional() }),
  z.object({ by: z.literal("condition") }),
  z.object({ by: z.literal("hand") }),
]);

const clockTime = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, "expected a time of day as HH:MM");

const Worse = z
  .object({
    /** From so many records on. */
    count: z.int().min(2).optional(),
    /** Once a record of the evidence matches. */
    filter: ruleFilter.optional(),
    /** Once what is measured is as far out as this. */
    value: z.number().optional(),
    severity: z.enum(SEVERITIES),
  })
  .refine((w) => w.count !== undefined || w.filter !== undefined || w.value !== undefined, {
    error: "when is it worse? Give count, filter or value",
  });

/** What rules of every kind have. */
export const common = {
  id: ruleId,
  name: z.string().min(1).max(120),
  enabled: z.boolean().default(true),
  /** Findings are made and counted, but raise no incident. */
  listenOnly: z.boolean().default(false),
  severity: z.enum(SEVERITIES),
  /** A worse severity where all that is said here holds of the evidence. */
  worse: z.array(Worse).max(4).default([]),
  /** Words with `{field}`, `{count}` and the names of measured values in them. */
  title: z.string().min(1).max(200),
  /** Fields whose values are gathered from the evidence: what the finding is about. */
  entities: z.array(fieldName).max(8).default([]),
  clear: ClearCondition,
  /** Evidence must still come this long after the condition was met. */
  holdSeconds: z.int().min(0).max(DAY_SECONDS).default(0),
  /** While it lasts and nobody has said they saw it, it is told again after this long. */
  remindSeconds: z.int().min(60).max(DAY_SECONDS).nullable().default(null),
  /** Times of the week in which it is expected: what it raises then calls nobody until the window is over. */
  shelve: z
    .array(
      z.object({
        days: z.array(z.enum(WEEKDAYS)).max(7).default([]),
        from: clockTime,
        to: clockTime,
        why: z.string().min(1).max(200),
      }),
    )
    .max(8)
    .default([]),
  /** Not raised on its own while a finding of one of these rules is open for a related sender or entity: it joins that one's incident. */
  explainedBy: z.array(ruleId).max(8).default([]),
  /** Fields whose values it comes to suspect: what else they do meanwhile is part of the same happening, however common they are. */
  suspects: z.array(fieldName).max(4).default([]),
  /** Why the rule exists. */
  reason: z.string().max(2000).default(""),
  /** What to do when it fires. */
  notes: z.string().max(4000).default(""),
  owner: z.string().max(120).default(""),
  /** Techniques and subjects, for grouping. */
  tags: z.array(z.string().min(1).max(60)).max(16).default([]),
  references: z.array(z.string().min(1).max(300)).max(16).default([]),
  tests: z.array(RuleTest).max(20).default([]),
  /** The saved filters that its filters name. */
  savedFilters: z.array(SavedText).max(16).default([]),
};
