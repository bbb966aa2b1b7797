import { AnyMeasure } from "@halvik/core/query/measure";
import { ASKS, OWN_FIGURES, Part, Period, ReportDefinition, Schedule } from "@halvik/core/report";
import * as z from "zod";
import { EntityId, TimeText } from "./common.js";
import { IncidentJson } from "./incidents.js";
import { Coverage, RecordJson } from "./records.js";

/** A number; a whole one beyond 2^53 in its digits. Null: nothing was there to measure. */
export const Amount = z.union([z.number(), z.string().regex(/^\d{16,19}$/)]).nullable();
export type Amount = z.infer<typeof Amount>;

const MeasuredRow = z.object({
  /** By grouping, as people read them. */
  labels: z.array(z.string()),
  value: Amount,
  /** In the period before; absent where it was not asked for. */
  before: Amount.optional(),
  records: z.int(),
  /** False: ±2.5 % (a quantile of very many), at least (different values), or estimated from samples. */
  exact: z.boolean(),
  steps: z.array(Amount),
  /** What finds its records; null where no filter says it. */
  filter: z.string().nullable(),
});

/** A rule that guards a figure by a line or by its own usual, and where the figure is now. */
export const LimitLine = z.object({
  rule: z.string(),
  name: z.string(),
  /** What it guards, in words. */
  says: z.string(),
  severity: z.string(),
  enabled: z.boolean(),
  /** `usual`: it is judged by what is usual for it, which its rule knows; there is no line. */
  side: z.enum(["over", "under", "usual"]),
  raiseAt: z.number().nullable(),
  clearAt: z.number().nullable(),
  unit: z.string(),
  everySeconds: z.int(),
  /** The key that is nearest the line, as people read it; empty: there is one alone. */
  key: z.array(z.string()),
  /** Of the last stretch that is over; null: nothing was measured, or it cannot be here. */
  value: Amount,
  /** In parts of the way to the line: 1 is on it, more beyond. */
  near: z.number().nullable(),
  /** Over the last day or so, the oldest first: each of the last `everySeconds`, so many seconds after the one before. */
  course: z.array(Amount),
  courseEverySeconds: z.int(),
  /** When it was last crossed. */
  crossed: TimeText.nullable(),
  /** How long it took to measure it for this table. */
  tookMs: z.number(),
  /** Why it cannot be measured here. */
  why: z.string(),
});
export type LimitLine = z.infer<typeof LimitLine>;
/** A limit that guards what is measured here, and how near it is. */
const Touching = LimitLine.pick({
  rule: true,
  name: true,
  side: true,
  raiseAt: true,
  unit: true,
  everySeconds: true,
  key: true,
  value: true,
  near: true,
  why: true,
  tookMs: true,
});
export type Touching = z.infer<typeof Touching>;

export const Measured = z.object({
  asked: AnyMeasure,
  /** In words, and what a value is counted in. */
  says: z.string(),
  unit: z.string(),
  headings: z.array(z.string()),
  rows: z.array(MeasuredRow),
  /** Of every record once. */
  total: MeasuredRow,
  /** Groups that are not among the rows. */
  others: z.int(),
  /** Whether the values of groups add up to the total, so that shares mean something. */
  addsUp: z.boolean(),
  /** Beginnings of the steps, and the end of the last. */
  steps: z.array(TimeText),
  /** The total by the steps of the period before. */
  stepsBefore: z.array(Amount),
  /** Steps, by their number from 0, in which nobody listened and nothing is: what would have come is not known. */
  gaps: z.array(z.int()).default([]),
  /** False: of the newest records only, back to `coveredFrom`. */
  complete: z.boolean(),
  coveredFrom: TimeText,
  /** `own`: of what Halvik writes down of itself, not of records. */
  source: z.enum(["rollups", "records", "own"]),
  /** Everything that was asked of the records, and in words. */
  filter: z.string(),
  reading: z.string(),
  limits: z.array(Touching).default([]),
  /** How much of the total was estimated from samples, %; null: nothing of it. */
  estimated: z.number().nullable().default(null),
});
export type Measured = z.infer<typeof Measured>;

const OwnFigureJson = z.object({
  name: z.enum(OWN_FIGURES),
  value: z.number().nullable(),
  before: z.number().nullable().optional(),
  unit: z.enum(["", "records", "datagrams", "s", "days", "%"]),
});

/** A part of a report as it was made. */
export const PartMade = z.discriminatedUnion("is", [
  z.object({ is: z.literal("text"), markdown: z.string() }),
  z.object({
    is: z.literal("measured"),
    as: z.enum(["figure", "bars", "table", "course", "profile", "hours of the week"]),
    title: z.string(),
    measured: Measured,
  }),
  z.object({
    is: z.literal("incidents"),
    title: z.string(),
    incidents: z.array(
      IncidentJson.pick({
        id: true,
        title: true,
        severity: true,
        state: true,
        first: true,
        last: true,
        count: true,
        closeReason: true,
        assignedTo: true,
      }).extend({
        story: z.array(z.object({ at: TimeText, text: z.string() })),
      }),
    ),
    /** How many more there are. */
    more: z.int(),
  }),
  z.object({
    is: z.literal("records"),
    title: z.string(),
    filter: z.string(),
    reading: z.string(),
    records: z.array(RecordJson),
    more: z.boolean(),
  }),
  z.object({ is: z.literal("own figures"), title: z.string(), figures: z.array(OwnFigureJson) }),
  /** It could not be made, and why. */
  z.object({ is: z.literal("failed"), title: z.string(), why: z.string() }),
]);
export type PartMade = z.infer<typeof PartMade>;

const WindowJson = z.object({ from: TimeText, to: TimeText });

/** What a report, or a part of one, was made over. */
const MadeOver = z.object({
  window: WindowJson,
  before: WindowJson,
  zone: z.string(),
  /** When the first record there is happened; null: there is none. */
  firstRecord: TimeText.nullable(),
  /** Whether all of the period before was there to be compared with. */
  comparable: z.boolean(),
});

/** A report as it was made, whole. */
export const ReportMade = MadeOver.extend({
  name: z.string(),
  about: z.string(),
  /** The period in words. */
  period: z.string(),
  /** Of which sender, group or site; null: of all. */
  of: z.string().nullable(),
  filter: z.string(),
  made: TimeText,
  by: z.string(),
  lacking: Coverage,
  parts: z.array(PartMade),
  tookMs: z.int(),
});
export type ReportMade = z.infer<typeof ReportMade>;

export const PartQuestion = z.object({
  part: Part,
  period: Period,
  filter: ReportDefinition.shape.filter,
  /** What is asked of whoever runs it, and the answer. */
  asks: z.enum(ASKS).default("nothing"),
  of: z.string().min(1).max(200).nullable().default(null),
  zone: z.string().max(64).optional(),
  /** The moment it looks back from; now by default. */
  at: TimeText.optional(),
});
export const PartAnswer = MadeOver.extend({ part: PartMade, tookMs: z.int() });
export type PartAnswer = z.infer<typeof PartAnswer>;

/** The same for what a whole report lacks. */
export const LackingQuery = PartQuestion.pick({ period: true, zone: true, at: true });
export const LackingAnswer = MadeOver.extend({ period: z.string(), lacking: Coverage });
export type LackingAnswer = z.infer<typeof LackingAnswer>;

const ScheduleKept = z.object({
  id: z.int(),
  schedule: Schedule,
  says: z.string(),
  author: z.string(),
  next: TimeText.nullable(),
});
export const RUN_STATES = ["waiting", "made", "failed"] as const;
export const Run = z.object({
  id: z.int(),
  state: z.enum(RUN_STATES),
  /** Why it failed. */
  why: z.string(),
  /** When it was due; null: somebody asked for it. */
  due: TimeText.nullable(),
  made: TimeText.nullable(),
  /** Made more than ten minutes after it was due: Halvik was away. */
  late: z.boolean(),
  by: z.string(),
  window: WindowJson.nullable(),
});
export type Run = z.infer<typeof Run>;

export const ReportKept = z.object({
  id: z.int(),
  report: ReportDefinition,
  author: z.string(),
  changed: TimeText,
  schedules: z.array(ScheduleKept),
  runs: z.array(Run),
});
export type ReportKept = z.infer<typeof ReportKept>;

/** A report as it shall be. */
export const ChangedReport = z.object({
  report: ReportDefinition,
  /** When it was changed last, as whoever changes it knows: if that was later, nothing is. */
  changed: TimeText,
});

export const ReportList = z.object({
  reports: z.array(ReportKept),
  ready: z.array(ReportDefinition),
});
export type ReportList = z.infer<typeof ReportList>;

export const LimitList = z.object({ limits: z.array(LimitLine) });
export type LimitList = z.infer<typeof LimitList>;

/** A measure that is kept by name. */
export const NewMeasure = z.object({
  name: z.string().trim().min(1, "expected a name").max(80),
  measure: AnyMeasure,
});
export const MeasureKept = NewMeasure.extend({ id: z.int(), says: z.string(), author: z.string(), changed: TimeText });
export const MeasureList = z.object({ measures: z.array(MeasureKept) });
export type MeasureList = z.infer<typeof MeasureList>;

export const ReportText = z.object({ text: z.string().max(200_000) });
export const ReportRead = z.object({ report: ReportDefinition });
export const NewRun = z.object({
  of: PartQuestion.shape.of,
  zone: z.string().max(64).optional(),
  at: TimeText.optional(),
});
export const ScheduleBody = z.object({ schedule: Schedule });

const Beside = {
  /** An earlier output of the report: every value stands beside what it was then. */
  beside: EntityId.optional(),
};
export const RunQuery = z.object(Beside);

export const RUN_FORMATS = ["pdf", "csv", "json", "html"] as const;
export const RunFile = z.object({
  format: z.enum(RUN_FORMATS),
  /** Of a CSV: which part, from 0; else a ZIP archive of all. */
  part: z
    .string()
    .regex(/^\d{1,2}$/)
    .transform(Number)
    .optional(),
  ...Beside,
});
export const RunParams = z.object({ id: EntityId, run: EntityId });
