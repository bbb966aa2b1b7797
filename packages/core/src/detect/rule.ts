import { z } from "zod";
import {
  ACTIONS,
  CATEGORIES,
  FIELDS,
  type FieldName,
  fieldNamed,
  KINDS,
  OUTCOMES,
  SEVERITIES,
  type Severity,
} from "../model/record/index.js";
import { namesTime, parseFilter } from "../query/filter/index.js";
import type { Episode } from "./event.js";
import { WEEKDAYS } from "./shelving.js";

const DAY_SECONDS = 86_400;

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
  .max(7 * DAY_SECONDS);
const days = z.int().min(1).max(400);
const key = z.array(fieldName).max(4);
const ruleId = z.string().regex(/^[a-z0-9][a-z0-9-]{0,62}$/, "lower-case letters, digits and hyphens");

/**
 * When a raised finding ends: after silence of its own evidence, by a clearing record with the same key, when its own condition is
 * over (the value back behind the lower line, the silent one heard again), or by a person.
 */
export const ClearCondition = z.discriminatedUnion("by", [
  z.object({ by: z.literal("quiet"), seconds }),
  z.object({ by: z.literal("record"), filter: ruleFilter, key: key.optional() }),
  z.object({ by: z.literal("condition") }),
  z.object({ by: z.literal("hand") }),
]);

const text = z.string().max(8_000);

/** Fields of a record by their names in the API; what is left out is missing. */
export const SampleFields = z.object({
  kind: z.enum(KINDS),
  severity: z.enum(SEVERITIES).optional(),
  category: z.enum(CATEGORIES).optional(),
  outcome: z.enum(OUTCOMES).optional(),
  action: z.enum(ACTIONS).optional(),
  host: text.optional(),
  app: text.optional(),
  process: text.optional(),
  event: text.optional(),
  users: z.array(text).optional(),
  src: text.optional(),
  dst: text.optional(),
  srcPort: z.int().optional(),
  dstPort: z.int().optional(),
  protocol: z.int().optional(),
  interface: text.optional(),
  bytes: z.number().optional(),
  packets: z.number().optional(),
  text: text.optional(),
  data: z.record(z.string(), text).optional(),
});

/** Records to try a rule with. `{n}` in any text is the number of the repetition, from 0 on. */
export const SampleRecord = z
  .strictObject({
    /** Seconds from the beginning of the trial. */
    at: z.number().min(0),
    times: z.int().min(1).max(5_000).default(1),
    /** Seconds between repetitions. */
    every: z.number().min(0).default(1),
    sender: z.string().min(1).max(120).default("device"),
    /** A syslog message as it is sent. */
    syslog: text.optional(),
    /** A Windows event: its id and data; provider and log as of the Security log unless given. */
    windows: z
      .strictObject({
        event: z.int(),
        provider: text.optional(),
        log: text.optional(),
        computer: text.optional(),
        data: z.record(z.string(), text).default({}),
      })
      .optional(),
    fields: SampleFields.optional(),
  })
  .refine((r) => [r.syslog, r.windows, r.fields].filter((v) => v !== undefined).length === 1, {
    error: "expected exactly one of syslog, windows and fields",
  });
export type SampleRecord = z.infer<typeof SampleRecord>;
/** Records of one test, repetitions included. */
const MAX_SAMPLES = 10_000;
export const RuleTest = z.object({
  name: z.string().min(1).max(200),
  /** How many findings these records must raise; 0: they must not. */
  raises: z.int().min(0).max(100),
  records: z
    .array(SampleRecord)
    .max(500)
    .refine((records) => records.reduce((sum, r) => sum + r.times, 0) <= MAX_SAMPLES, {
      error: `expected at most ${MAX_SAMPLES} records in all, repetitions included`,
    }),
});
export type RuleTest = z.infer<typeof RuleTest>;

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

const common = {
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
  /** Why the rule exists. */
  reason: z.string().max(2000).default(""),
  /** What to do when it fires. */
  notes: z.string().max(4000).default(""),
  owner: z.string().max(120).default(""),
  /** Techniques and subjects, for grouping. */
  tags: z.array(z.string().min(1).max(60)).max(16).default([]),
  references: z.array(z.string().min(1).max(300)).max(16).default([]),
  tests: z.array(RuleTest).max(20).default([]),
};

/** `count` matching records with one key within `windowSeconds` of event time. */
export const CountRule = z.object({
  kind: z.literal("count"),
  ...common,
  filter: ruleFilter,
  key,
  count: z.int().min(1).max(10_000),
  windowSeconds: seconds,
});

/** `count` different values of a field. */
const DistinctRule = z.object({
  kind: z.literal("distinct"),
  ...common,
  filter: ruleFilter,
  key,
  of: fieldName,
  count: z.int().min(2).max(10_000),
  windowSeconds: seconds,
});

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
const SequenceRule = z.object({
  kind: z.literal("sequence"),
  ...common,
  key,
  steps: z.array(Step).min(2).max(8),
  windowSeconds: seconds,
});

/** Several things in any order with one key. */
const TogetherRule = z.object({
  kind: z.literal("together"),
  ...common,
  key,
  parts: z
    .array(Step.pick({ name: true, filter: true, key: true }))
    .min(2)
    .max(8),
  /** So many of the parts suffice; all when absent. */
  atLeast: z.int().min(2).max(8).optional(),
  windowSeconds: seconds,
});

/** What has spoken says nothing for `afterSeconds`. */
const SilenceRule = z.object({
  kind: z.literal("silence"),
  ...common,
  filter: ruleFilter,
  key: key.min(1),
  afterSeconds: seconds,
});

/** A combination of values not seen for `unseenDays`. */
const FirstRule = z.object({
  kind: z.literal("first"),
  ...common,
  filter: ruleFilter,
  key: key.min(1),
  unseenDays: days,
  learningDays: days,
});

const Measure = z.discriminatedUnion("of", [
  z.object({ of: z.literal("records") }),
  z.object({ of: z.literal("sum"), field: fieldName }),
  /** How unevenly records follow one another: the median deviation of their gaps, in parts of the median gap. */
  z.object({ of: z.literal("spacing"), least: z.int().min(5).max(200).default(10) }),
  /** Each value by itself: a reading. `data` is the name of a value beyond the common fields. */
  z.object({ of: z.literal("value"), field: fieldName.optional(), data: z.string().min(1).max(120).optional() }),
]);

const line = { side: z.enum(["over", "under"]), raiseAt: z.number(), clearAt: z.number() };
const Judgement = z.discriminatedUnion("by", [
  z.object({ by: z.literal("line"), ...line }),
  z.object({
    by: z.literal("baseline"),
    side: z.enum(["over", "under", "both"]),
    z: z.number().min(1).max(100).default(3.5),
    least: z.number().min(0).default(0),
  }),
  z.object({
    by: z.literal("ewma"),
    lambda: z.number().gt(0).max(1).default(0.3),
    k: z.number().min(1).max(20).default(3),
    training: z.int().min(5).max(500).default(20),
  }),
  z.object({
    by: z.literal("cusum"),
    allowance: z.number().min(0).max(10).default(0.5),
    limit: z.number().min(0.5).max(50).default(5),
    training: z.int().min(5).max(500).default(20),
  }),
]);

/** A measure against a line, its own usual, or control limits. */
const DepartureRule = z.object({
  kind: z.literal("departure"),
  ...common,
  filter: ruleFilter,
  key,
  measure: Measure,
  everySeconds: z.int().min(10).max(DAY_SECONDS).default(300),
  judgement: Judgement,
});

/** The part of `of` that matches `filter`. */
const RatioRule = z.object({
  kind: z.literal("ratio"),
  ...common,
  filter: ruleFilter,
  of: ruleFilter,
  key,
  everySeconds: z.int().min(10).max(DAY_SECONDS).default(300),
  /** Stretches with fewer records say nothing. */
  least: z.int().min(1).default(20),
  side: z.enum(["over", "under"]).default("over"),
  raiseAt: z.number().min(0).max(1),
  clearAt: z.number().min(0).max(1),
});

const Shape = z.discriminatedUnion("kind", [
  CountRule,
  DistinctRule,
  SequenceRule,
  TogetherRule,
  SilenceRule,
  FirstRule,
  DepartureRule,
  RatioRule,
]);

/** A rule of any kind. A new kind is one more member. */
export const Rule = Shape.superRefine((rule, context) => {
  for (const issue of faults(rule)) context.addIssue({ code: "custom", ...issue });
});
export type Rule = z.infer<typeof Shape>;
/** A rule as people write it: what has a default may be left out. */
export type RuleInput = z.input<typeof Shape>;

/** What the shape alone cannot say: parts that must fit one another. */
function faults(rule: Rule): { path: (string | number)[]; message: string }[] {
  const out: { path: (string | number)[]; message: string }[] = [];
  const measured = rule.kind === "departure" || rule.kind === "ratio";
  if (rule.clear.by === "condition" && !measured && rule.kind !== "silence")
    out.push({ path: ["clear", "by"], message: "only silence, departure and ratio end by their own condition" });
  for (const [i, { filter, value }] of rule.worse.entries()) {
    if (filter !== undefined && (measured || rule.kind === "silence"))
      out.push({
        path: ["worse", i, "filter"],
        message: "what counts here is a measure, not one record: give count or value",
      });
    if (value !== undefined && !measured)
      out.push({ path: ["worse", i, "value"], message: "only departure and ratio measure a value" });
  }
  const keys: [(string | number)[], readonly string[] | undefined][] = [];
  if (rule.clear.by === "record") keys.push([["clear", "key"], rule.clear.key]);
  if (rule.kind === "sequence") {
    for (const [i, step] of rule.steps.entries()) {
      keys.push([["steps", i, "key"], step.key]);
      if (step.absent && i === 0)
        out.push({ path: ["steps", i], message: "a sequence begins with something that happens" });
      if (step.absent && rule.steps[i - 1]?.absent)
        out.push({
          path: ["steps", i],
          message: "two things that must not happen do not follow one another: join their filters",
        });
      if (step.absent && step.count > 1)
        out.push({ path: ["steps", i, "count"], message: "what must not happen is not counted" });
    }
    const last = rule.steps[rule.steps.length - 1]!;
    if (last.absent && last.withinSeconds === undefined)
      out.push({
        path: ["steps", rule.steps.length - 1],
        message: "for how long must it not happen? Give withinSeconds",
      });
  }
  if (rule.kind === "together") {
    for (const [i, part] of rule.parts.entries()) keys.push([["parts", i, "key"], part.key]);
    if ((rule.atLeast ?? 2) > rule.parts.length)
      out.push({ path: ["atLeast"], message: `there are only ${rule.parts.length} parts` });
  }
  for (const [path, own] of keys)
    if (own !== undefined && own.length !== rule.key.length)
      out.push({ path, message: `expected as many fields as the rule's key has: ${rule.key.length}` });
  const j = rule.kind === "departure" ? rule.judgement : rule.kind === "ratio" ? rule : null;
  if (j && "raiseAt" in j && (j.side === "over" ? j.clearAt > j.raiseAt : j.clearAt < j.raiseAt))
    out.push({
      path: rule.kind === "departure" ? ["judgement", "clearAt"] : ["clearAt"],
      message: "the line at which it ends lies beyond the one at which it is raised",
    });
  if (rule.kind === "departure" && rule.measure.of === "value" && !rule.measure.field === !rule.measure.data)
    out.push({ path: ["measure"], message: "a reading is a field or a named value: give one of field and data" });
  return out;
}

/** How severe a finding is, by what it has come to. */
export function severityOf(rule: Rule, { count, worse, facts }: Pick<Episode, "count" | "worse" | "facts">): Severity {
  const value = facts.find(([name]) => name === "value")?.[1];
  const isUnder =
    (rule.kind === "ratio" && rule.side === "under") ||
    (rule.kind === "departure" && "side" in rule.judgement && rule.judgement.side === "under");
  const reached = rule.worse
    .filter(
      (w, i) =>
        (w.count === undefined || count >= w.count) &&
        (w.filter === undefined || (worse & (1 << i)) !== 0) &&
        (w.value === undefined || (value !== undefined && (isUnder ? value <= w.value : value >= w.value))),
    )
    .map((w) => w.severity);
  return Math.min(...[rule.severity, ...reached].map((s) => SEVERITIES.indexOf(s))) as Severity;
}

/** How far apart evidence of one episode may be, in µs: what `semantics.md` 21 calls W. */
export function ruleWindowUs(rule: Rule): number {
  switch (rule.kind) {
    case "silence":
      return rule.afterSeconds * 1e6;
    case "first":
      return 60 * 1e6;
    case "departure":
    case "ratio":
      return 2 * rule.everySeconds * 1e6;
    default:
      return rule.windowSeconds * 1e6;
  }
}
