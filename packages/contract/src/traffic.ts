import { ACTIONS, SEVERITIES } from "@halvik/core/model/record";
import { MAX_FILTER_LENGTH } from "@halvik/core/query/filter";
import { ANSWERED_SERVICES, DIMENSIONS } from "@halvik/core/traffic";
import * as z from "zod";
import { TimeText } from "./common.js";

const DIMENSION = z.enum(DIMENSIONS);
const MEASURE = z.enum(["bytes", "packets", "flows"]);

/** Whose traffic is meant: everything, or that of a site, of an exporter, of one of its interfaces. */
const SCOPE = {
  from: TimeText.optional(),
  to: TimeText.optional(),
  site: z.string().min(1).max(120).optional(),
  /** By the number of its sender. */
  exporter: z.coerce.number().int().min(1).max(2_147_483_647).optional(),
  /** By its index at the exporter; -1 stands for what the exporter names no interface for. */
  interface: z.coerce.number().int().min(-1).max(4_294_967_295).optional(),
  /** Each conversation once, or as often as exporters told of it. */
  count: z.enum(["once", "exported"]).default("once"),
  measure: MEASURE.default("bytes"),
  /** Only what these words match: then the flows themselves are gone through, the newest first. Empty: everything. */
  filter: z.string().max(MAX_FILTER_LENGTH).default(""),
  /** By whose clock times in the filter are meant. */
  zone: z.string().max(64).optional(),
  /** Seconds that going through the flows may take; what was found by then is the answer. */
  patience: z.coerce.number().min(0.1).max(15).default(1),
};
export const TrafficQuery = z.object({ ...SCOPE, by: DIMENSION.default("application") });
export const TrafficListsQuery = z.object({
  ...SCOPE,
  /** One or more, separated by commas. */
  dimensions: z
    .string()
    .max(200)
    .default("application")
    .transform((text) => text.split(","))
    .pipe(z.array(DIMENSION).min(1).max(DIMENSIONS.length)),
  most: z.coerce.number().int().min(1).max(1_000).default(6),
});

const Amounts = z.object({ bytes: z.number(), packets: z.number(), flows: z.number() });

/** What was asked, as it was understood. */
const Asked = z.object({
  from: TimeText,
  to: TimeText,
  /** How its figures came about: of one interface as metered, each conversation once, or as often as it was exported. */
  counted: z.enum(["interface", "once", "exported"]),
  /** Exporters whose figures are in it. */
  exporters: z.int(),
  /** Exporters that have told nothing since before the window, and did in the week before it. */
  silent: z.array(z.string()),
  /** Exporters whose data waits for its template now, and cannot be counted before it comes. */
  waiting: z.array(z.string()),
  /** Steps of the sums it was made from, in seconds; 0: it was made from the flows themselves. */
  sums: z.int(),
  /** Stored flows that are not in the sums yet. */
  behind: z.int(),
  /** From when on all flows were looked at: there was no time for the others. Null: nothing is missing. */
  reached: TimeText.nullable(),
});

export const TrafficAnswer = z.object({
  asked: Asked,
  /** Seconds of a step. */
  step: z.int(),
  /** Two sides, in and out, of an interface; one of everything else. */
  sides: z.int().min(1).max(2),
  total: z.array(Amounts),
  /** Bytes that sampling exporters estimated, and the greatest rate. */
  estimated: z.object({ bytes: z.number(), rate: z.int() }),
  /** Bits a second the interface carries; null: not known. */
  capacity: z.number().nullable(),
  /** What the interface's own counters say between the first and the last of the window, in and out; null: it tells none. */
  counters: z
    .object({
      from: TimeText,
      to: TimeText,
      /** How often they began anew: what they missed then is not in them. */
      restarts: z.int(),
      sides: z.array(
        z.object({
          bytes: z.number(),
          packets: z.number(),
          errors: z.number(),
          discards: z.number(),
          /** The part of it that flows tell of, of the measure; null: they are not held against it. */
          explained: z.number().nullable(),
        }),
      ),
    })
    .nullable(),
  /** The greatest values, by what was asked; the first is the greatest. */
  bands: z.array(z.string()),
  /** Without a gap. Of each side, of the measure: a figure for each band, the whole, and the whole a week before. */
  steps: z.array(
    z.object({
      from: TimeText,
      bands: z.array(z.array(z.number())),
      whole: z.array(z.number()),
      weekBefore: z.array(z.number()),
    }),
  ),
});

const TrafficRow = z.object({
  label: z.string(),
  /** It has no name but its numbers. */
  unnamed: z.boolean(),
  /** What tells its flows from others; null: no filter can. */
  filter: z.string().nullable(),
  amounts: Amounts,
  /** Of the measure, of everything that was asked for. */
  share: z.number(),
  /** Of the measure, over the window in equal steps. */
  course: z.array(z.number()),
  /** Of the measure, in the same window a week before; null: nothing is known of then. */
  weekBefore: z.number().nullable(),
});
const TrafficList = z.object({
  dimension: DIMENSION,
  rows: z.array(TrafficRow),
  /** What the rows leave of the whole, exactly. */
  others: z.object({ values: z.int(), atLeast: z.boolean(), amounts: Amounts, share: z.number() }),
  /** Bytes by which a row may be too small: what was not kept of each step. */
  mayLack: z.number(),
});

/** How much a place tells of: an exporter as it exported, an interface in and out. */
const TrafficWhere = z.object({
  label: z.string(),
  exporter: z.int(),
  /** Its index; null: all of the exporter. */
  interface: z.number().nullable(),
  site: z.string().nullable(),
  in: Amounts,
  /** Null: an exporter has no direction. */
  out: Amounts.nullable(),
});

export const TrafficLists = z.object({
  asked: Asked,
  lists: z.array(TrafficList),
  /** The most first; empty where a filter narrows the lists. */
  where: z.array(TrafficWhere),
});

/** Traffic without a name. */
export const UnnamedTraffic = z.object({
  asked: Asked,
  rows: z.array(
    z.object({
      label: z.string(),
      protocol: z.int(),
      port: z.int(),
      amounts: Amounts,
      /** The first hour it was summed in, of all that is kept; null: it is not summed yet. */
      since: TimeText.nullable(),
      /** At whom it goes in, the most first; some of them may have a name of their own for it. */
      servers: z.array(z.object({ address: z.string(), name: z.string().nullable(), bytes: z.number() })),
      filter: z.string(),
    }),
  ),
});
export type UnnamedTraffic = z.infer<typeof UnnamedTraffic>;

/** A window whose records are gone through: so many seconds, and then what was found by then. */
export const PatientQuery = z.object({
  from: TimeText.optional(),
  to: TimeText.optional(),
  patience: z.coerce.number().min(0.1).max(15).default(1),
});
/** Where a marking is not the same at the next exporter. */
export const MarkingsAnswer = z.object({
  from: TimeText,
  to: TimeText,
  reached: TimeText.nullable(),
  flows: z.int(),
  rows: z.array(
    z.object({
      before: z.string(),
      after: z.string(),
      at: z.string(),
      egress: z.string(),
      next: z.string(),
      ingress: z.string(),
      conversations: z.int(),
      bytes: z.number(),
      /** Finds the flows of one of them. */
      filter: z.string(),
      /** Nothing is left of it. */
      lost: z.boolean(),
    }),
  ),
});
export type MarkingsAnswer = z.infer<typeof MarkingsAnswer>;

/** What goes on in the last five minutes. */
export const TrafficNow = z.object({
  from: TimeText,
  to: TimeText,
  partial: z.boolean(),
  bytes: z.number(),
  sources: z.array(
    z.object({
      address: z.string(),
      bytes: z.number(),
      destinations: z.array(z.object({ address: z.string(), bytes: z.number() })),
      destinationsInAll: z.int(),
      accepted: z.int(),
      refused: z.int(),
      policies: z.array(z.string()),
      incidents: z.array(z.object({ id: z.int(), title: z.string(), severity: z.enum(SEVERITIES) })),
    }),
  ),
});
export type TrafficNow = z.infer<typeof TrafficNow>;

export const TrafficPlaces = z.object({
  sites: z.array(z.string()),
  exporters: z.array(
    z.object({
      id: z.int(),
      name: z.string(),
      site: z.string().nullable(),
      interfaces: z.array(
        z.object({
          index: z.int(),
          name: z.string(),
          /** Bits a second; null: not known. */
          capacity: z.number().nullable(),
          capacityFrom: z.enum(["hand", "counters"]).nullable(),
          /** It meters itself what leaves by it; else others say so. */
          metersOut: z.boolean(),
          metersIn: z.boolean(),
        }),
      ),
    }),
  ),
});

/** What a person says of an interface. */
export const InterfaceFact = z.object({
  name: z.string().max(120).default(""),
  /** Bits a second; null: as its counters say. */
  capacity: z.number().int().min(1).max(1e15).nullable(),
});
export type TrafficAnswer = z.infer<typeof TrafficAnswer>;
export type TrafficLists = z.infer<typeof TrafficLists>;
export type TrafficPlaces = z.infer<typeof TrafficPlaces>;

const AddressText = z.string().min(2).max(64);
/** Ends of a connection, any of them open. */
export const PolicyQuery = z.object({
  from: TimeText.optional(),
  to: TimeText.optional(),
  /** An address or a block. */
  src: AddressText.optional(),
  dst: AddressText.optional(),
  port: z.coerce.number().int().min(0).max(65_535).optional(),
});
const DECIDED = z.enum(ACTIONS);
export const PolicyAnswer = z.object({
  from: TimeText,
  to: TimeText,
  /** Finds the decisions; and the flows. */
  decisionFilter: z.string(),
  flowFilter: z.string(),
  decisions: z.int(),
  flows: z.int(),
  /** The newest were looked at, and there are more. */
  partial: z.boolean(),
  ports: z.array(
    z.object({
      port: z.int().nullable(),
      /** What it is called, and by which protocol. */
      label: z.string(),
      accept: z.int(),
      deny: z.int(),
      reject: z.int(),
      flows: z.int(),
      bytes: z.number(),
    }),
  ),
  policies: z.array(
    z.object({
      action: DECIDED,
      policy: z.string().nullable(),
      device: z.string(),
      zones: z.string(),
      count: z.int(),
      first: TimeText,
      last: TimeText,
    }),
  ),
  contradictions: z.array(
    z.object({
      code: z.enum(["denied and yet flowed", "accepted and nothing flowed", "accepted by another policy"]),
      at: TimeText,
      src: z.string(),
      dst: z.string(),
      port: z.int().nullable(),
      device: z.string(),
      before: z.string().nullable(),
      policy: z.string().nullable(),
    }),
  ),
});
export type PolicyAnswer = z.infer<typeof PolicyAnswer>;

export const PoliciesQuery = z.object({ from: TimeText.optional(), to: TimeText.optional() });
/** Policies of firewalls by their use. */
export const PoliciesAnswer = z.object({
  from: TimeText,
  to: TimeText,
  /** Since when those before the window were looked at. */
  since: TimeText,
  /** Met in the window, the most often first. */
  met: z.array(
    z.object({
      policy: z.string(),
      accept: z.int(),
      deny: z.int(),
      reject: z.int(),
      /** Not met between `since` and the window. */
      isNew: z.boolean(),
      filter: z.string(),
    }),
  ),
  /** Met before, and not in the window. */
  unmet: z.array(z.object({ policy: z.string(), before: z.int(), last: TimeText.nullable(), filter: z.string() })),
  /** There was no time for all: the newest were counted. */
  partial: z.boolean(),
});
export type PoliciesAnswer = z.infer<typeof PoliciesAnswer>;

const Quantile = z.number().nullable();
/** How servers answered. Times are milliseconds, right within 2.5 %. */
export const AnswersAnswer = z.object({
  from: TimeText,
  to: TimeText,
  stepSeconds: z.number(),
  /** Looked at back to here; null: all of it. */
  reached: TimeText.nullable(),
  answers: z.int(),
  services: z.array(
    z.object({
      service: z.enum(ANSWERED_SERVICES),
      count: z.int(),
      failures: z.int(),
      p50: Quantile,
      p95: Quantile,
      /** What the counts of a step are of. */
      classes: z.array(z.string()),
      steps: z.array(z.object({ at: TimeText, counts: z.array(z.int()), p50: Quantile, p95: Quantile })),
      servers: z.array(
        z.object({
          server: z.string(),
          count: z.int(),
          failures: z.int(),
          p50: Quantile,
          p95: Quantile,
          answers: z.array(z.object({ answer: z.string(), count: z.int() })),
        }),
      ),
      serversInAll: z.int(),
      /** More servers than are told apart: what they answered is in the sums alone. */
      isCut: z.boolean(),
    }),
  ),
});
export type AnswersAnswer = z.infer<typeof AnswersAnswer>;
