import * as z from "zod";
import { ACTIONS, CATEGORIES, KINDS, OUTCOMES, SEVERITIES } from "../../model/record/index.js";

const text = z.string().max(8_000);

/** Fields of a record by their names in the API; what is left out is missing. */
const SampleFields = z.object({
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
  /** What the lists that the rule names hold in this test. */
  lists: z.record(z.string().max(80), z.array(z.string().max(255)).max(50)).default({}),
  records: z
    .array(SampleRecord)
    .max(500)
    .refine((records) => records.reduce((sum, r) => sum + r.times, 0) <= MAX_SAMPLES, {
      error: `expected at most ${MAX_SAMPLES} records in all, repetitions included`,
    }),
});
export type RuleTest = z.infer<typeof RuleTest>;
