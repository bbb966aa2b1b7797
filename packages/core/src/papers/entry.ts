import * as z from "zod";

/** How far a hypothesis is believed. */
export const CONFIDENCES = ["low", "medium", "high"] as const;
export const HYPOTHESIS_STATES = ["open", "holds", "refuted"] as const;

const Pins = z.array(z.int().positive()).max(200).default([]);

/** What people write in a paper. Pins are named by their numbers in it. */
export const Entry = z.discriminatedUnion("is", [
  /** Markdown; `#12` is pin 12. */
  z.strictObject({ is: z.literal("note"), text: z.string().trim().min(1, "expected some words").max(50_000) }),
  z.strictObject({
    is: z.literal("hypothesis"),
    text: z.string().trim().min(1, "expected what may have happened").max(2_000),
    /** Pins that speak for it, and against it. */
    speaksFor: Pins,
    speaksAgainst: Pins,
    confidence: z.enum(CONFIDENCES).default("low"),
    state: z.enum(HYPOTHESIS_STATES).default("open"),
  }),
  z.strictObject({
    is: z.literal("task"),
    text: z.string().trim().min(1, "expected what is to be done").max(400),
    assignedTo: z.string().trim().max(120).default(""),
    isDone: z.boolean().default(false),
  }),
  z.strictObject({
    is: z.literal("question"),
    text: z.string().trim().min(1, "expected a question").max(1_000),
    /** Empty: still open. */
    answer: z.string().trim().max(5_000).default(""),
  }),
]);
export type Entry = z.infer<typeof Entry>;

/** What is code, or names a pin: `#12`, not in the middle of a word. */
const CODE_OR_PIN = /(`+)[^`]*\1|(^|[^\w#&/[])#(\d{1,6})\b/g;

/** Markdown in which pins that are named (`#12`) are links to `#pin-12`; in code nothing is named. */
export const linkPins = (markdown: string): string =>
  markdown.replace(CODE_OR_PIN, (all: string, _, before: string | undefined, number: string | undefined) =>
    number === undefined ? all : `${before}[#${number}](#pin-${number})`,
  );
