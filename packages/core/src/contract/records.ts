import { z } from "zod";
import { RecordId, TimeText } from "./common.js";

/** A whole number written in digits, as query strings carry it. */
const digits = (least: number, most: number) =>
  z
    .string()
    .regex(/^\d{1,9}$/, "expected digits")
    .transform(Number)
    .pipe(z.int().min(least).max(most));

export const RecordQuery = z.object({
  filter: z.string().max(8_000).default(""),
  from: TimeText.optional(),
  to: TimeText.optional(),
  limit: digits(1, 1_000).default(100),
  cursor: z.string().max(64).optional(),
  direction: z.enum(["older", "newer"]).default("older"),
  zone: z.string().max(64).optional(),
});

export const RecordJson = z
  .object({
    id: RecordId,
    sender: z.object({ id: z.int(), name: z.string() }),
    endpoint: z.string(),
    kind: z.string(),
    time: TimeText,
    arrival: TimeText,
    timeReason: z.string(),
    severity: z.string(),
    category: z.string(),
    outcome: z.string(),
    text: z.string(),
    copyOf: RecordId.optional(),
    deviceTime: z.string().optional(),
    clockOffsetMs: z.number().optional(),
    originalSeverity: z.string().optional(),
    facility: z.string().optional(),
    action: z.string().optional(),
    host: z.string().optional(),
    app: z.string().optional(),
    process: z.string().optional(),
    event: z.string().optional(),
    users: z.array(z.string()).optional(),
    src: z.string().optional(),
    dst: z.string().optional(),
    srcPort: z.int().optional(),
    dstPort: z.int().optional(),
    protocol: z.int().optional(),
    interface: z.string().optional(),
    bytes: z.number().optional(),
    packets: z.number().optional(),
    otherAddresses: z.array(z.string()).optional(),
    data: z.array(z.tuple([z.string(), z.string()])).optional(),
    marks: z.array(z.string()).optional(),
    problem: z.object({ code: z.string(), offset: z.int(), message: z.string() }).optional(),
  })
  .meta({ id: "Record" });
export type RecordJson = z.infer<typeof RecordJson>;

export const RecordPage = z.object({
  records: z.array(RecordJson),
  /** Where to go on; absent when everything in the window was looked at. */
  nextCursor: z.string().optional(),
  /** The time budget ended first: the answer is what was found so far. */
  partial: z.boolean(),
  segments: z.int(),
  tookMs: z.number(),
});
export type RecordPage = z.infer<typeof RecordPage>;

export const RecordDetail = z.object({
  record: RecordJson,
  raw: z.object({
    /** The message byte for byte, in base64. */
    base64: z.string(),
    bytes: z.int(),
  }),
  incidents: z.array(z.object({ id: z.int(), title: z.string() })),
});
export type RecordDetail = z.infer<typeof RecordDetail>;

export const HistogramQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true }).extend({
  buckets: digits(1, 2_000).default(120),
});

export const HistogramAnswer = z.object({
  widthSeconds: z.number(),
  buckets: z.array(z.object({ from: TimeText, count: z.int(), errors: z.int() })),
  total: z.int(),
  exact: z.boolean(),
  coveredFrom: TimeText,
  source: z.enum(["rollups", "records"]),
  tookMs: z.number(),
});
export type HistogramAnswer = z.infer<typeof HistogramAnswer>;
