import { DATA_TYPES } from "@halvik/core/model/record";
import { MAX_FILTER_LENGTH } from "@halvik/core/query/filter";
import { AMOUNTS, MEASURES } from "@halvik/core/query/measure";
import * as z from "zod";
import { RecordId, TimeText } from "./common.js";

/** A whole number: in digits, as query strings carry it, or as JSON has it. */
const digits = (least: number, most: number) =>
  z
    .union([z.string().regex(/^\d{1,9}$/, "expected digits"), z.int()])
    .transform(Number)
    .pipe(z.int().min(least).max(most));

export const RecordQuery = z.object({
  filter: z.string().max(MAX_FILTER_LENGTH).default(""),
  from: TimeText.optional(),
  to: TimeText.optional(),
  limit: digits(1, 1_000).default(100),
  cursor: z.string().max(40_000).optional(),
  direction: z.enum(["older", "newer"]).default("older"),
  zone: z.string().max(64).optional(),
});

/** A count; beyond 2^53 its digits, which JSON readers would round. */
const JsonCount = z.union([z.number(), z.string().regex(/^\d{16,19}$/)]);

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
    /** What happened, in words, made from typed values with the names that hold now. */
    sentence: z.string(),
    /** What to look at next, where this sort of event is known. */
    next: z.string().optional(),
    /** The name of an SNMP notification. */
    eventName: z.string().optional(),
    /** Variable bindings in words, in the order sent. */
    named: z
      .array(z.object({ oid: z.string(), name: z.string(), value: z.string(), about: z.string().optional() }))
      .optional(),
    application: z.string().optional(),
    ingressName: z.string().optional(),
    egressName: z.string().optional(),
    entities: z.array(z.object({ kind: z.string(), role: z.string(), value: z.string(), original: z.string() })),
    copyOf: RecordId.optional(),
    /** The message shape it is of now. */
    shape: z.int().optional(),
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
    bytes: JsonCount.optional(),
    packets: JsonCount.optional(),
    otherAddresses: z.array(z.string()).optional(),
    translated: z
      .object({
        src: z.string().optional(),
        dst: z.string().optional(),
        srcPort: z.int().optional(),
        dstPort: z.int().optional(),
      })
      .optional(),
    flow: z
      .object({
        start: TimeText.optional(),
        ingress: z.int().optional(),
        egress: z.int().optional(),
        tos: z.int().optional(),
        dscp: z.int().optional(),
        tcpFlags: z.int().optional(),
        icmp: z.int().optional(),
        srcAs: z.int().optional(),
        dstAs: z.int().optional(),
        srcMask: z.int().optional(),
        dstMask: z.int().optional(),
        nextHop: z.string().optional(),
        vlan: z.int().optional(),
        direction: z.int().optional(),
        application: z.string().optional(),
        reverseBytes: JsonCount.optional(),
        reversePackets: JsonCount.optional(),
        samplingRate: z.int().optional(),
        domain: z.int().optional(),
        sequence: z.int().optional(),
      })
      .optional(),
    data: z.array(z.tuple([z.string(), z.string()])).optional(),
    marks: z.array(z.string()).optional(),
    problem: z.object({ code: z.string(), offset: z.int(), message: z.string() }).optional(),
  })
  .meta({ id: "Record" });
export type RecordJson = z.infer<typeof RecordJson>;

/** How an answer came about. */
export const Searched = z
  .object({
    segments: z.int(),
    /** Parts answered from the index of terms, with a look at some rows where terms are not enough. */
    byTerms: z.int(),
    /** Parts, and rows not yet indexed, that the database went through. */
    byScan: z.int(),
    rowsRead: z.int(),
    /** Parts dropped by retention during the search. */
    gone: z.int(),
  })
  .meta({ id: "Searched" });
export type Searched = z.infer<typeof Searched>;

/** What was searched: the window asked for, within the times that the filter names. */
const SearchedWindow = z.object({ from: TimeText, to: TimeText });

export const RecordPage = z.object({
  records: z.array(RecordJson),
  /** Where to go on; absent when everything in the window was looked at. */
  nextCursor: z.string().optional(),
  /**
   * What is committed from here on, whatever its time: asked with `direction=newer` and this as cursor, now or later. What was
   * committed while this page was read may be on both.
   */
  newerCursor: z.string(),
  /** The time budget ended first: the answer is what was found so far. */
  partial: z.boolean(),
  window: SearchedWindow,
  searched: Searched,
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
  /** It is the end of an outage of an interface: which, the record at the other end, and how long it lasted. */
  outage: z.object({ end: z.enum(["down", "up"]), record: RecordId, lastedMs: z.int() }).optional(),
  /** A format read it anew after it was stored: which, when, and what it said as it arrived where that differs. */
  amended: z
    .object({
      format: z.string(),
      version: z.int(),
      at: TimeText,
      before: z.array(z.object({ field: z.string(), values: z.array(z.string()) })),
    })
    .optional(),
});
export type RecordDetail = z.infer<typeof RecordDetail>;

export const ValuesQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true }).extend({
  /** A field of the table, or `data` with the name of the value. */
  field: z.string().max(64),
  name: z.string().max(256).optional(),
  top: digits(1, 500).default(20),
  /** What sets them in order. */
  by: z.enum(MEASURES).default("records"),
  /** With `by=distinct`: the field whose values are told apart. */
  distinct: z.string().max(64).optional(),
});

/** Named values that records carry beyond the common fields. */
export const DataFieldsAnswer = z.object({
  fields: z.array(
    z.object({
      name: z.string(),
      /** What all values that were looked at are. */
      type: z.enum(DATA_TYPES),
      records: z.int(),
      example: z.string(),
    }),
  ),
  others: z.int(),
  /** Records that were looked at: the newest that match. */
  looked: z.int(),
  /** Whether those were all. */
  isAll: z.boolean(),
  window: SearchedWindow,
});
export type DataFieldsAnswer = z.infer<typeof DataFieldsAnswer>;

export const UnknownWordsQuery = RecordQuery.pick({ filter: true, zone: true });
/** Words of a filter, as they stand in it, and events and named values that it asks for, that no record holds. */
export const UnknownWords = z.object({
  unknown: z.array(z.string()),
  /** Where events or named values are among them: what some that there are, are called; the most like them first. */
  exists: z.array(z.string()),
});
export type UnknownWords = z.infer<typeof UnknownWords>;

export const ValuesAnswer = z.object({
  values: z.array(
    z.object({
      value: z.string(),
      label: z.string(),
      /** Records that have it. */
      count: z.int(),
      /** By the measure asked for. */
      amount: JsonCount,
    }),
  ),
  distinct: z.int(),
  restCount: z.int(),
  /** Absent where the measure does not add up. */
  restAmount: JsonCount.optional(),
  /** Records that match, with a value or without. */
  records: z.int(),
  /** False: of the newest records only, back to `coveredFrom`. */
  exact: z.boolean(),
  coveredFrom: TimeText,
  window: SearchedWindow,
  searched: Searched,
  tookMs: z.number(),
});
export type ValuesAnswer = z.infer<typeof ValuesAnswer>;

export const MatrixQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true }).extend({
  rows: z.string().max(64),
  columns: z.string().max(64),
  topRows: digits(1, 50).default(10),
  topColumns: digits(1, 50).default(6),
  by: z.enum(AMOUNTS).default("records"),
});

const MatrixValue = z.object({ value: z.string(), label: z.string(), total: JsonCount });

export const MatrixAnswer = z.object({
  rows: z.array(MatrixValue),
  columns: z.array(MatrixValue),
  /** By row, then by column. */
  cells: z.array(z.array(JsonCount)),
  distinctRows: z.int(),
  distinctColumns: z.int(),
  /** False: of the newest records only, back to `coveredFrom`. */
  exact: z.boolean(),
  coveredFrom: TimeText,
  window: SearchedWindow,
  searched: Searched,
  tookMs: z.number(),
});
export type MatrixAnswer = z.infer<typeof MatrixAnswer>;

export const CoverageQuery = RecordQuery.pick({ from: true, to: true });

/** What a window may lack, as far as Halvik knows. */
export const Coverage = z.object({
  /** When nobody listened: Halvik was off, or its collector away. */
  notListening: z.array(z.object({ from: TimeText, to: TimeText })),
  lost: z.int(),
  capped: z.int(),
  flowGaps: z.int(),
  shed: z.int(),
  /** Dropped on arrival by rules, in the hours that the window touches. */
  droppedByRules: z.int(),
  silent: z.array(z.string()),
  /** Before this, records of the window are not kept any more. */
  keptFrom: TimeText.optional(),
});
export type Coverage = z.infer<typeof Coverage>;

export const WhyNothing = z.object({
  parts: z.array(
    z.object({
      /** The part as it is written. */
      text: z.string(),
      count: z.int(),
      exact: z.boolean(),
      near: z.object({ value: z.string(), count: z.int() }).optional(),
    }),
  ),
  lastBefore: TimeText.optional(),
  firstAfter: TimeText.optional(),
});
export type WhyNothing = z.infer<typeof WhyNothing>;

/** A name for an export: 16 hexadecimal digits or more. */
export const ExportId = z.string().regex(/^[0-9a-f]{16,64}$/, "expected 16 to 64 hexadecimal digits");

export const ExportQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true }).extend({
  format: z.enum(["csv", "jsonl", "raw", "pcap"]),
  /** The file itself, or a ZIP archive with a manifest beside it. */
  as: z.enum(["file", "archive"]).default("file"),
  /** Chosen by whoever asks, to see how far it is. */
  id: ExportId.optional(),
});

/** How far an export has come. */
export const ExportStateJson = z.object({
  records: z.int(),
  bytes: z.int(),
  state: z.enum(["running", "done", "broken"]),
  /** What proves it, when it is done. */
  manifest: z
    .object({
      madeBy: z.string(),
      made: TimeText,
      by: z.string(),
      filter: z.string(),
      reading: z.string(),
      from: TimeText,
      to: TimeText,
      order: z.string(),
      format: z.string(),
      escapes: z.string().optional(),
      records: z.int(),
      written: z.int(),
      leftOut: z.int().optional(),
      whyLeftOut: z.string().optional(),
      files: z.array(z.object({ name: z.string(), bytes: z.int(), sha256: z.string() })),
    })
    .nullable(),
});
export type ExportStateJson = z.infer<typeof ExportStateJson>;

export const HistogramQuery = RecordQuery.pick({ filter: true, from: true, to: true, zone: true }).extend({
  buckets: digits(1, 2_000).default(120),
  /** "buckets": every bucket in full, the window widened to whole ones; "window": the window and no more. */
  whole: z.enum(["window", "buckets"]).default("window"),
});

export const HistogramAnswer = z.object({
  widthSeconds: z.number(),
  buckets: z.array(z.object({ from: TimeText, count: z.int(), errors: z.int() })),
  total: z.int(),
  exact: z.boolean(),
  coveredFrom: TimeText,
  source: z.enum(["rollups", "records"]),
  window: SearchedWindow,
  searched: Searched.optional(),
  tookMs: z.number(),
});
export type HistogramAnswer = z.infer<typeof HistogramAnswer>;
