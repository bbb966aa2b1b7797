import { z } from "zod";
import { SEVERITIES } from "../../model/record/index.js";

const DAY_SECONDS = 86_400;
const text = (most: number) =>
  z
    .string()
    .trim()
    .max(most)
    .regex(/^[^\p{Cc}]*$/u, "expected no control characters");
/** What a message may tell: that something began, that it changed while it lasts, that it is over. */
export const TELLINGS = ["raise", "update", "clear"] as const;
export type Telling = (typeof TELLINGS)[number];

/** Who is told of which incidents. */
export const NotifyRoute = z.object({
  name: text(80).min(1, "expected a name"),
  enabled: z.boolean().default(true),
  /** Incidents as severe as this, or worse. */
  severity: z.enum(SEVERITIES).default("error"),
  /** Only incidents with findings of one of these rules; empty: of any. */
  rules: z.array(z.string().max(64)).max(50).default([]),
  /** Only incidents whose rules have one of these tags; empty: any. */
  tags: z.array(text(60).min(1)).max(16).default([]),
  /** Only incidents whose title or entities hold one of these texts, in any case; empty: any. */
  about: z.array(text(120).min(1)).max(16).default([]),
  to: z.array(z.email("expected a mail address")).min(1, "expected a mail address").max(20),
  tells: z
    .array(z.enum(TELLINGS))
    .min(1, "expected at least one of raise, update, clear")
    .default([...TELLINGS]),
  /** A raise waits this long: what is seen, shelved or over by then is not told. */
  delaySeconds: z.int().min(0).max(DAY_SECONDS).default(0),
  /** Messages an hour; what is more goes together into the next one. */
  mostPerHour: z.int().min(1).max(1_000).default(30),
});
export type NotifyRoute = z.infer<typeof NotifyRoute>;
