import { oneLine } from "@halvik/core/base/text";
import {
  ASKED_OF_NAMES,
  Entry,
  LEADS,
  LONGEST_VALUE,
  PAPER_STATES,
  PaperFacts,
  Pinnable,
  Pinned,
  QuestionSet,
  Reason,
} from "@halvik/core/papers";
import { MAX_FILTER_LENGTH } from "@halvik/core/query/filter";
import { Techniques } from "@halvik/core/respond/incidents";
import * as z from "zod";
import { EntityId, TimeText } from "./common.js";
import { RecordJson } from "./records.js";

/** A paper in a list. */
export const PaperLine = z.object({
  id: z.int(),
  name: z.string(),
  question: z.string(),
  conclusion: z.string(),
  state: z.enum(PAPER_STATES),
  owner: z.string(),
  pins: z.int(),
  /** Tasks, questions and hypotheses that are open. */
  open: z.int(),
  /** Whether who asks may write in it. */
  mayWrite: z.boolean(),
  changed: TimeText,
  changedBy: z.string(),
  closed: TimeText.nullable(),
});
export type PaperLine = z.infer<typeof PaperLine>;
export const PaperList = z.object({ papers: z.array(PaperLine), more: z.boolean() });
export type PaperList = z.infer<typeof PaperList>;
export const PaperQuery = z.object({
  /** Words that stand in its name, question, conclusion or notes. */
  text: z.string().trim().max(200).default(""),
  state: z.enum(PAPER_STATES).optional(),
});

export const PinJson = z.object({
  number: z.int(),
  pinned: Pinned,
  /** The record as it was kept when it was pinned. */
  record: RecordJson.nullable(),
  reason: z.string(),
  techniques: z.array(z.string()),
  by: z.string(),
  at: TimeText,
  version: z.int(),
});
export type PinJson = z.infer<typeof PinJson>;

export const EntryJson = z.object({
  id: z.int(),
  entry: Entry,
  author: z.string(),
  created: TimeText,
  changed: TimeText,
  changedBy: z.string(),
  version: z.int(),
});
export type EntryJson = z.infer<typeof EntryJson>;

export const LeadJson = z.object({
  /** Of one that was drawn by hand; null: both pins say so. */
  id: z.int().nullable(),
  from: z.int(),
  to: z.int(),
  kind: z.enum([...LEADS, "drawn"]),
  by: z.string(),
});
export type LeadJson = z.infer<typeof LeadJson>;

export const PaperDetail = z.object({
  id: z.int(),
  facts: PaperFacts,
  owner: z.string(),
  mayWrite: z.boolean(),
  /** Of its facts; who changes them says which they saw. */
  version: z.int(),
  created: TimeText,
  changed: TimeText,
  changedBy: z.string(),
  closed: TimeText.nullable(),
  pins: z.array(PinJson),
  entries: z.array(EntryJson),
  leads: z.array(LeadJson),
  /** Closed papers that have things or techniques in common with it, those that have most first. */
  earlier: z.array(
    z.object({ id: z.int(), name: z.string(), conclusion: z.string(), closed: TimeText, shares: z.array(z.string()) }),
  ),
});
export type PaperDetail = z.infer<typeof PaperDetail>;

/** When it was changed last. */
export const PaperChanged = z.object({ changed: TimeText, version: z.int() });
export type PaperChanged = z.infer<typeof PaperChanged>;

export const PaperParams = z.object({ id: EntityId });
export const PinParams = z.object({ id: EntityId, number: EntityId });
export const EntryParams = z.object({ id: EntityId, entry: EntityId });
export const LinkParams = z.object({ id: EntityId, link: EntityId });

const Version = z.int();
export const PaperChange = z.strictObject({ facts: PaperFacts, version: Version });
export const NewPin = z.strictObject({ pin: Pinnable, reason: Reason.default(""), techniques: Techniques.default([]) });
export const PinMade = z.object({
  number: z.int(),
  /** False: it was pinned before, and stays as it was. */
  isNew: z.boolean(),
});
export type PinMade = z.infer<typeof PinMade>;
export const FileQuery = z.object({ name: z.string().min(1).max(200), reason: Reason.default("") });
export const PinChange = z.strictObject({ reason: Reason, techniques: Techniques, version: Version });
export const EntryChange = z.strictObject({ entry: Entry, version: Version });
export const NewEntry = z.strictObject({ entry: Entry });
export const NewLink = z.strictObject({
  from: z.int().positive(),
  to: z.int().positive(),
  why: oneLine(200).default(""),
});

/** What a pinned search, shape, portrait would count now. */
export const PinAgain = z.object({
  count: z.int(),
  isExact: z.boolean(),
  /** As it was when it was pinned. */
  before: z.object({ count: z.int(), isExact: z.boolean() }),
  lacking: z.string(),
});
export type PinAgain = z.infer<typeof PinAgain>;

/** What papers are handed over as. */
export const HAND_OVER_AS = ["markdown", "pdf", "bundle", "stix", "iodef"] as const;
export type HandOverAs = (typeof HAND_OVER_AS)[number];
export const HandOverParams = z.object({ id: EntityId, as: z.enum(HAND_OVER_AS) });

export const QuestionSetJson = z.object({
  id: z.int(),
  set: QuestionSet,
  owner: z.string(),
  shared: z.boolean(),
  mine: z.boolean(),
  version: z.int(),
});
export type QuestionSetJson = z.infer<typeof QuestionSetJson>;
export const QuestionSetList = z.object({
  /** One's own, and those that others share. */
  sets: z.array(QuestionSetJson),
  /** Those that ship. */
  ready: z.array(QuestionSet),
});
export type QuestionSetList = z.infer<typeof QuestionSetList>;
export const NewQuestionSet = z.strictObject({ set: QuestionSet, shared: z.boolean().default(false) });
export const QuestionSetChange = z.strictObject({ set: QuestionSet, shared: z.boolean(), version: Version });

/** A set of searches, run on a value. */
export const AskAgain = z.strictObject({
  searches: QuestionSet.shape.searches,
  of: z.enum(ASKED_OF_NAMES),
  value: z.string().trim().min(1, "expected a value").max(LONGEST_VALUE),
  from: TimeText,
  to: TimeText,
  zone: z.string().max(64).optional(),
});
export type AskAgain = z.infer<typeof AskAgain>;
export const AskedAgain = z.object({
  lines: z.array(
    z.object({
      asks: z.string(),
      filter: z.string().max(MAX_FILTER_LENGTH),
      count: z.int(),
      isExact: z.boolean(),
      /** Times of the first and the last that were found; null: none were. */
      first: TimeText.nullable(),
      last: TimeText.nullable(),
      /** Why it could not be asked; null: it was. */
      problem: z.string().nullable(),
    }),
  ),
});
export type AskedAgain = z.infer<typeof AskedAgain>;
