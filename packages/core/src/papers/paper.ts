import * as z from "zod";
import { oneLine } from "../base/text/index.js";

/** Bounds, so that a paper stays something people read. */
export const MOST_PINS = 2_000;
export const MOST_ENTRIES = 1_000;
export const MOST_LINKS = 1_000;
export const MOST_PEOPLE = 50;
export const MOST_LANES = 24;
/** What is added by hand to one paper, in bytes, and one file of it. */
export const MOST_FILE_BYTES = 20_000_000;
export const MOST_BYTES = 200_000_000;
/** The same of all papers together. */
export const MOST_BYTES_OF_ALL = 20_000_000_000;

export const PAPER_STATES = ["open", "resting", "closed"] as const;
export type PaperState = (typeof PAPER_STATES)[number];

/** What one may do in a paper. */
export const PAPER_RIGHTS = ["read", "write"] as const;
export type PaperRight = (typeof PAPER_RIGHTS)[number];

/** Things that have a lane of their own on a paper's time line. */
export const LANE_KINDS = ["address", "host", "user", "interface"] as const;
export const Lane = z.strictObject({ kind: z.enum(LANE_KINDS), value: oneLine(200).min(1) });
export type Lane = z.infer<typeof Lane>;

/** What people write of an investigation as a whole. */
export const PaperFacts = z.strictObject({
  name: oneLine(120).min(1, "expected a name"),
  /** What it is to find out. */
  question: z.string().trim().max(2_000).default(""),
  /** What was found in the end. */
  conclusion: z.string().trim().max(10_000).default(""),
  state: z.enum(PAPER_STATES).default("open"),
  /** The time it is about; null: that of what is pinned. */
  window: z
    .strictObject({ from: z.iso.datetime({ offset: true }), to: z.iso.datetime({ offset: true }) })
    .nullable()
    .default(null),
  lanes: z.array(Lane).max(MOST_LANES).default([]),
  /** Whoever has an account may read it. */
  shared: z.boolean().default(false),
  people: z
    .array(z.strictObject({ name: z.string().trim().min(1).max(120), may: z.enum(PAPER_RIGHTS) }))
    .max(MOST_PEOPLE)
    .default([])
    .refine((people) => new Set(people.map((p) => p.name)).size === people.length, "expected each person once"),
});
export type PaperFacts = z.infer<typeof PaperFacts>;
