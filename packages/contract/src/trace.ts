import * as z from "zod";
import { TimeText } from "./common.js";
import { RecordJson } from "./records.js";

/** Where a message has been, in the order in which it goes. */
export const TRACE_STEPS = [
  "received",
  "decoded",
  "sender",
  "format",
  "arrival rules",
  "stored",
  "index",
  "rules",
  "incident",
  "told",
] as const;

export const TraceStep = z.object({
  step: z.enum(TRACE_STEPS),
  /** `ends`: it goes no further. `would`: nothing was stored, and this is what would be. */
  state: z.enum(["done", "would", "waits", "ends"]),
  says: z.string(),
  at: TimeText.nullable(),
  /** Since the step before, or for the step itself where nothing was stored. */
  tookMs: z.number().nullable(),
});
export type TraceStep = z.infer<typeof TraceStep>;

export const Trace = z.object({
  steps: z.array(TraceStep),
  /** What became of it; the first of several. */
  record: RecordJson.nullable(),
  records: z.int(),
  rules: z.array(
    z.object({
      rule: z.string(),
      name: z.string(),
      verdict: z.enum(["met", "clears", "near", "not"]),
      missing: z.string(),
      /** By this one record alone it is raised. */
      raises: z.boolean(),
    }),
  ),
  incidents: z.array(z.object({ id: z.int(), title: z.string() })),
});
export type Trace = z.infer<typeof Trace>;

/** A message to be followed without its being stored. */
export const TraceMessage = z.object({
  protocol: z.enum(["syslog", "snmp", "windows", "json", "flow"]),
  as: z.enum(["text", "hex"]),
  body: z.string().min(1).max(400_000),
  /** The address or the name of whom it comes from. */
  from: z.string().trim().min(1).max(120),
  /** The name of the way in. */
  endpoint: z.string().max(120).default(""),
});
export type TraceMessage = z.infer<typeof TraceMessage>;
