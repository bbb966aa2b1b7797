import { BINDING_REASONS, BOUND_THINGS } from "@halvik/core/model/entity";
import { ACTIONS, SEVERITIES } from "@halvik/core/model/record";
import { INCIDENT_STATES } from "@halvik/core/respond/incidents";
import * as z from "zod";
import { RecordId, TimeText } from "./common.js";

/** What a portrait can be of. */
export const PORTRAIT_KINDS = ["address", "sender", "host", "user", "interface"] as const;
export type PortraitKind = (typeof PORTRAIT_KINDS)[number];
const KIND = z.enum(PORTRAIT_KINDS);

export const PortraitQuery = z.object({
  kind: KIND,
  /** An address; a name. */
  value: z.string().min(1).max(400),
  /** Of an interface: the sender it is at, by name. */
  at: z.string().min(1).max(400).optional(),
  from: TimeText.optional(),
  to: TimeText.optional(),
});
export const PortraitTrafficQuery = PortraitQuery.extend({
  /** Seconds that going through its flows may take; what was found by then is the answer. */
  patience: z.coerce.number().min(0.1).max(15).default(1),
});

const Row = z.object({
  label: z.string(),
  /** What else is to be said of it; empty: nothing. */
  note: z.string(),
  count: z.number(),
  /** Finds its records. */
  filter: z.string(),
});

/** A record that says something, and when. */
const Witness = z.object({ time: TimeText, record: RecordId });

const Binding = z.object({
  /** What it is bound to: never the thing itself. */
  is: z.enum(BOUND_THINGS),
  value: z.string(),
  /** By which record it is known; "sender": as people have entered it. */
  by: z.enum([...BINDING_REASONS, "sender"]),
  /** Null: as long as it is entered so. */
  first: Witness.nullable(),
  last: Witness.nullable(),
  count: z.number(),
  /** At the same time another of the same sort is said to be its own where there can be but one. */
  conflict: z.boolean(),
});

export const Portrait = z.object({
  kind: KIND,
  value: z.string(),
  from: TimeText,
  to: TimeText,
  /** What it is, in a few words, as far as it is known. */
  about: z.string(),
  /** The sender it is, if it is one. */
  sender: z.object({ id: z.int(), name: z.string() }).nullable(),
  /** Addresses whose traffic is its own. */
  addresses: z.array(z.string()),
  /** Finds all records that name it. */
  filter: z.string(),
  firstSeen: Witness.nullable(),
  lastSeen: Witness.nullable(),
  bindings: z.array(Binding),
  records: z.object({
    total: z.number(),
    kinds: z.array(Row),
    severities: z.array(Row.extend({ severity: z.enum(SEVERITIES) })),
  }),
  /** Who logged on to it, from it, or as it: let in and refused. */
  logons: z.array(Row.extend({ success: z.number(), failure: z.number() })),
  decisions: z.array(Row.extend({ action: z.enum(ACTIONS) })),
  incidents: z.array(
    z.object({
      id: z.int(),
      title: z.string(),
      severity: z.enum(SEVERITIES),
      state: z.enum(INCIDENT_STATES),
      first: TimeText,
      last: TimeText,
    }),
  ),
  /** There was no time to count all: the answer is of the newest records. */
  partial: z.boolean(),
});
export type Portrait = z.infer<typeof Portrait>;

/** What is new about it. */
export const PortraitNews = z.object({
  /** Since when nothing of it was known: the 7 days before the window, or less where less is kept. */
  since: TimeText,
  rows: z.array(Row.extend({ what: z.string() })),
  partial: z.boolean(),
});
export type PortraitNews = z.infer<typeof PortraitNews>;

const Amount = z.object({
  label: z.string(),
  filter: z.string().nullable(),
  sent: z.number(),
  received: z.number(),
  flows: z.number(),
});
const WithFate = Amount.extend({ accepted: z.number(), refused: z.number(), unanswered: z.number() });

export const PortraitTraffic = z.object({
  from: TimeText,
  to: TimeText,
  /** From when on all flows were looked at; null: all of the window. */
  reached: TimeText.nullable(),
  flows: z.int(),
  /** Seconds of a step, and bytes of each, without a gap. */
  step: z.int(),
  sent: z.array(z.number()),
  received: z.array(z.number()),
  total: z.object({ sent: z.number(), received: z.number() }),
  /** The greatest rate by which an exporter sampled; 1: none did. */
  estimatedRate: z.number(),
  peers: z.array(Amount.extend({ address: z.string() })),
  peersInAll: z.int(),
  uses: z.array(WithFate),
  offers: z.array(WithFate.extend({ clients: z.int() })),
  sizes: z.array(z.object({ label: z.string(), bytes: z.number(), packets: z.number() })),
  markings: z.array(z.object({ label: z.string(), bytes: z.number(), packets: z.number() })),
});
export type PortraitTraffic = z.infer<typeof PortraitTraffic>;
