import { CLOSE_REASONS, HISTORY_CODES, INCIDENT_STATES, Techniques } from "@halvik/core/respond/incidents";
import * as z from "zod";
import { TimeText } from "./common.js";
import { RecordJson } from "./records.js";

export const IncidentQuery = z.object({
  /** "attention": what needs somebody (`needsAttention`). */
  state: z.enum([...INCIDENT_STATES, "attention", "all"]).default("all"),
  from: TimeText.optional(),
  to: TimeText.optional(),
  limit: z
    .string()
    .regex(/^\d{1,3}$/, "expected digits")
    .transform(Number)
    .pipe(z.int().min(1).max(500))
    .default(100),
});

export const IncidentJson = z
  .object({
    id: z.int(),
    title: z.string(),
    severity: z.string(),
    state: z.enum(INCIDENT_STATES),
    /** Cleared because nothing came any more; nobody and nothing has said that it is over. */
    stopped: z.boolean(),
    rule: z.object({ id: z.string(), name: z.string(), version: z.int() }),
    first: TimeText,
    last: TimeText,
    raised: TimeText,
    ended: TimeText.nullable(),
    count: z.int(),
    returned: z.int(),
    entities: z.array(z.object({ field: z.string(), value: z.string() })),
    closeReason: z.enum(CLOSE_REASONS).nullable(),
    assignedTo: z.string().nullable(),
    shelved: z.object({ until: TimeText, by: z.string(), why: z.string() }).nullable(),
    /** It was merged into another one. */
    mergedInto: z.int().nullable(),
    acknowledged: z.object({ by: z.string(), at: TimeText }).nullable(),
    newSinceSeen: z.array(z.string()),
    linkedTo: z.int().nullable(),
    /** The incident that explains it, and why. */
    explainedBy: z.object({ id: z.int(), why: z.string() }).nullable(),
    /** That one stands for it: it calls nobody by itself. */
    folded: z.boolean(),
    /** How many incidents it explains, and how many of those last. */
    explains: z.object({ all: z.int(), lasting: z.int() }),
    /** What it ranks by: a sum, and what it is the sum of. */
    urgency: z.object({ score: z.int(), parts: z.array(z.tuple([z.string(), z.int()])) }),
    /** Whether it belongs in the queue of what needs somebody. */
    needsAttention: z.boolean(),
    /** Sites of the senders it names. */
    sites: z.array(z.string()),
    /** Subjects and techniques of its rules. */
    tags: z.array(z.string()),
    /** Numbers of the techniques its rules name as references and people say it was, as MITRE ATT&CK numbers them. */
    techniques: z.array(z.string()),
    /** Those of them that people said. */
    addedTechniques: z.array(z.string()),
    /** Kinds of its rules. */
    kinds: z.array(z.string()),
    /** Evidence over time for the strip: µs offsets are left to the reader; at most 60 moments. */
    moments: z.array(TimeText),
  })
  .meta({ id: "Incident" });
export type IncidentJson = z.infer<typeof IncidentJson>;

export const IncidentList = z.object({ incidents: z.array(IncidentJson), attention: z.int() });
export type IncidentList = z.infer<typeof IncidentList>;

export const IncidentDetail = z.object({
  incident: IncidentJson,
  /** The rules that made its findings, as they were when each was made. */
  rules: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      version: z.int(),
      sentence: z.string(),
      reason: z.string(),
      notes: z.string(),
      clears: z.string(),
      /** What its conditions are called, where there are several. */
      steps: z.array(z.string()),
      windowSeconds: z.number(),
    }),
  ),
  findings: z.array(
    z.object({
      id: z.int(),
      first: TimeText,
      last: TimeText,
      raised: TimeText,
      count: z.int(),
      cleared: TimeText.nullable(),
      clearedBy: z.string().nullable(),
      /** The record that cleared it, where one did. */
      clearedWith: RecordJson.nullable(),
      rule: z.string(),
      /** Why it is part of this incident; empty for the one that opened it. */
      joined: z.string(),
      /** What it shares with what was there before, and what each weighs: from ½ in sum they are one happening. */
      links: z.array(z.object({ field: z.string(), value: z.string(), weight: z.number(), why: z.string() })),
      entities: z.array(z.object({ field: z.string(), value: z.string() })),
      /** What it says by itself, where its evidence is a measure or that nothing came; null: its records say it. */
      says: z.string().nullable(),
      /** The arithmetic: value, line, what was expected. */
      facts: z.array(z.tuple([z.string(), z.number()])),
      /** Which step each record of the evidence met, by its id. */
      steps: z.record(z.string(), z.int()),
      evidence: z.array(RecordJson),
      /** What was counted and is not listed here. */
      notShown: z.int(),
      /** How many records are kept with it, and can be read by pages and exported. */
      kept: z.int(),
      /** Listed ones that are neither stored nor kept. */
      gone: z.int(),
    }),
  ),
  /** Findings that are not listed here: the oldest. */
  moreFindings: z.int(),
  /** Lines of its history that are not listed here: the oldest. */
  moreHistory: z.int(),
  history: z.array(
    z.object({ at: TimeText, who: z.string(), code: z.enum(HISTORY_CODES), what: z.string(), detail: z.string() }),
  ),
  tasks: z.array(
    z.object({
      id: z.int(),
      text: z.string(),
      by: z.string(),
      done: z.object({ by: z.string(), at: TimeText }).nullable(),
    }),
  ),
  /** Earlier ones of the same rule and key: the how manieth this is, since when, and how those ended; null: it is the first. */
  again: z
    .object({
      nth: z.int(),
      since: TimeText,
      ended: z.array(z.object({ how: z.enum([...CLOSE_REASONS, ...INCIDENT_STATES, "stopped"]), times: z.int() })),
    })
    .nullable(),
  /** What it explains. */
  consequences: z.array(
    z.object({ id: z.int(), title: z.string(), state: z.enum(INCIDENT_STATES), first: TimeText, why: z.string() }),
  ),
  /** Earlier ones like it, and how they ended. */
  similar: z.array(
    z.object({
      id: z.int(),
      title: z.string(),
      state: z.enum(INCIDENT_STATES),
      /** It went quiet, and nobody judged it. */
      stopped: z.boolean(),
      closeReason: z.enum(CLOSE_REASONS).nullable(),
      last: TimeText,
      /** What makes it like this one. */
      why: z.string(),
      /** The last note somebody left there. */
      note: z.string(),
    }),
  ),
});
export type IncidentDetail = z.infer<typeof IncidentDetail>;

/** Incidents near one in time that share something with it, and are none with it. */
export const UnusualThen = z.object({
  from: TimeText,
  to: TimeText,
  /** Days it was held against: fewer than three say nothing. */
  days: z.int(),
  /** Things for which there was no time. */
  notLooked: z.int(),
  lines: z.array(z.object({ says: z.string(), why: z.string(), filter: z.string() })),
});
export type UnusualThen = z.infer<typeof UnusualThen>;

/** A page of what is kept as evidence, the newest first. */
export const EvidenceQuery = z.object({
  /** Only what is evidence of this rule. */
  rule: z.string().max(80).optional(),
  /** Only what met this step, from 0. */
  step: z.coerce.number().int().min(0).max(99).optional(),
  /** Goes on after this place: `next` of the page before. */
  after: z
    .string()
    .regex(/^\d{1,16}-\d{1,19}$/, "expected “next” of the page before")
    .optional(),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});
export const EvidencePage = z.object({
  evidence: z.array(z.object({ step: z.int().nullable(), record: RecordJson })),
  /** Of this page: records that are neither stored nor kept. */
  gone: z.int(),
  next: z.string().nullable(),
});

export const NearIncidents = z.object({
  near: z.array(
    z.object({
      id: z.int(),
      title: z.string(),
      first: TimeText,
      links: z.array(z.object({ field: z.string(), value: z.string(), weight: z.number(), why: z.string() })),
    }),
  ),
});
export type NearIncidents = z.infer<typeof NearIncidents>;
export type EvidencePage = z.infer<typeof EvidencePage>;

export const NewTask = z.object({ text: z.string().trim().min(1, "expected what is to be done").max(400) });
export const TaskChange = z.object({ done: z.boolean() });

/** The same for several incidents at once. */
export const BulkAct = z.object({
  ids: z.array(z.int().min(1)).min(1).max(200),
  act: z.discriminatedUnion("what", [
    z.object({ what: z.literal("acknowledge"), note: z.string().max(4_000).default("") }),
    z.object({ what: z.literal("note"), note: z.string().min(1).max(4_000) }),
    z.object({ what: z.literal("assign"), to: z.string().trim().max(120).nullable() }),
    z.object({ what: z.literal("shelve"), until: TimeText, why: z.string().max(4_000).default("") }),
    z.object({ what: z.literal("close"), reason: z.enum(CLOSE_REASONS), note: z.string().max(4_000).default("") }),
  ]),
});
export type BulkAct = z.infer<typeof BulkAct>;
/** What a bulk act changed; `undo`: by which number it is taken back; null: it cannot be. */
export const BulkAnswer = z.object({
  changed: z.array(z.int()),
  refused: z.array(z.object({ id: z.int(), why: z.string() })),
  undo: z.int().nullable(),
});
export type BulkAnswer = z.infer<typeof BulkAnswer>;

export const Acknowledge = z.object({ note: z.string().max(4_000).default("") });
export const Note = z.object({ note: z.string().min(1).max(4_000) });
/** What techniques it was, besides those its rules name. */
export const SayTechniques = z.object({ techniques: Techniques });
export const AssignIncident = z.object({ to: z.string().trim().max(120).nullable() });
export const ShelveIncident = z.object({ until: TimeText.nullable(), why: z.string().max(4_000).default("") });
export const MergeIncident = z.object({ into: z.int().min(1) });
/** What is taken out: a finding, or all findings that name something. */
export const SplitIncident = z.union([
  z.object({ finding: z.int().min(1) }),
  z.object({ entity: z.object({ field: z.string().max(60), value: z.string().max(400) }) }),
]);
export const LinkIncident = z.object({ to: z.int().min(1).nullable() });
export const CloseIncident = z.object({ reason: z.enum(CLOSE_REASONS), note: z.string().max(4_000).default("") });
