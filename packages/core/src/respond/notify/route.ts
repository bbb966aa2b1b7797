import * as z from "zod";
import { coverWeek, isZone, WEEKDAYS } from "../../base/time/index.js";
import { SEVERITIES } from "../../model/record/index.js";
import { parseIncidentFilter } from "./incident-filter.js";

const DAY_SECONDS = 86_400;
const text = (most: number) =>
  z
    .string()
    .trim()
    .max(most)
    .regex(/^[^\p{Cc}]*$/u, "expected no control characters");
/** What a message may tell: that something began, that it changed while it lasts, that it is over. */
export const NOTIFIED_CHANGES = ["raise", "update", "clear"] as const;
export type NotifiedChange = (typeof NOTIFIED_CHANGES)[number];

/** What a message may be: one of those, that nobody has acknowledged it yet, or that it goes on to the next ones. */
export const MESSAGES = [...NOTIFIED_CHANGES, "reminder", "escalation"] as const;
export type Message = (typeof MESSAGES)[number];

/** All that is sent: of incidents, a test by hand, a report that was made. */
export const TELLS = [...MESSAGES, "test", "report"] as const;
export type Tells = (typeof TELLS)[number];

const Clock = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, "expected a clock time HH:MM");
const WEEK_MINUTES = 7 * 24 * 60;

/** Whom, by which way: mail to addresses, mail to whoever is on duty by a rota, channels that are set up. */
const whom = {
  to: z.array(z.email("expected a mail address")).max(20).default([]),
  /** Rotas: mail to who is on duty when it is sent. */
  rotas: z.array(z.int().min(1)).max(5).default([]),
  channels: z.array(z.int().min(1)).max(10).default([]),
};

/** Goes on to these when nobody has acknowledged it so long after the raise. */
export const Escalation = z.object({ ...whom, afterMinutes: z.int().min(1).max(WEEK_MINUTES) });
export type Escalation = z.infer<typeof Escalation>;

/** Hours in which nothing is sent: it waits until they are over. */
export const QuietWindow = z
  .object({ days: z.array(z.enum(WEEKDAYS)).max(7).default([]), from: Clock, to: Clock })
  .refine((w) => w.from !== w.to, { message: "expected another time than that it begins at", path: ["to"] });
export type QuietWindow = z.infer<typeof QuietWindow>;

/** Who is told of which incidents, without what its parts must be to each other. */
export const NotifyRouteParts = z.object({
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
  /** Only incidents that name a sender of one of these sites; empty: any. */
  sites: z.array(text(80).min(1)).max(16).default([]),
  /** Only incidents that name a sender of one of these groups; empty: any. */
  groups: z.array(text(80).min(1)).max(16).default([]),
  /** Only incidents for which this filter holds, of the filter language over fields of incidents; empty: any. */
  where: text(2_000)
    .default("")
    .superRefine((filter, check) => {
      const parsed = parseIncidentFilter(filter);
      if (!parsed.ok) check.addIssue({ code: "custom", message: parsed.error.message });
    }),
  ...whom,
  /** Texts of one's own that its messages are written by; null: those that ship. */
  texts: z.int().min(1).nullable().default(null),
  tells: z
    .array(z.enum(NOTIFIED_CHANGES))
    .min(1, "expected at least one of raise, update, clear")
    .default([...NOTIFIED_CHANGES]),
  /** A raise waits this long: what is seen, shelved or over by then is not told. */
  delaySeconds: z.int().min(0).max(DAY_SECONDS).default(0),
  /** Messages an hour; what is more goes together into the next one. */
  mostPerHour: z.int().min(1).max(1_000).default(30),
  /** Says again every so many minutes that nobody has acknowledged it; 0: it does not. */
  repeatMinutes: z.int().min(0).max(WEEK_MINUTES).default(0),
  /** In the order of time. */
  escalate: z.array(Escalation).max(5).default([]),
  quiet: z.array(QuietWindow).max(10).default([]),
  /** What is as severe as this, or worse, is sent in quiet hours too, and does not wait for the digest; null: nothing is. */
  breaks: z.enum(SEVERITIES).nullable().default("critical"),
  /** Everything waits for these times of the day and goes together; empty: nothing waits. */
  digestAt: z.array(Clock).max(12).default([]),
  /** Whose clock quiet hours and digests go by. */
  zone: z.string().max(60).refine(isZone, "expected a time zone, as Europe/Oslo").default("UTC"),
});

const reaches = (w: z.infer<z.ZodObject<typeof whom>>) => w.to.length + w.rotas.length + w.channels.length > 0;

export const NotifyRoute = NotifyRouteParts.superRefine((route, check) => {
  const say = (path: (string | number)[], message: string) => check.addIssue({ code: "custom", path, message });
  if (!reaches(route)) say(["to"], "expected a mail address, a rota or a channel");
  if (coverWeek(route.quiet))
    say(["quiet"], "expected some minute of the week that is not quiet: nothing would ever be sent");
  for (const [i, step] of route.escalate.entries()) {
    if (!reaches(step)) say(["escalate", i, "to"], "expected a mail address, a rota or a channel");
    if (i > 0 && step.afterMinutes <= route.escalate[i - 1]!.afterMinutes)
      say(["escalate", i, "afterMinutes"], "expected later than the step before");
  }
});
export type NotifyRoute = z.infer<typeof NotifyRoute>;

/** Whom a message of a step goes to: 0 those of the route, then those of each escalation. */
export const whomOf = (route: NotifyRoute, step: number): Pick<NotifyRoute, "to" | "rotas" | "channels"> | null =>
  step === 0 ? route : (route.escalate[step - 1] ?? null);
