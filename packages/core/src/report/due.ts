import { Cron } from "croner";
import * as z from "zod";
import { type EpochUs, isZone, US_PER_MS, US_PER_SECOND, WEEKDAYS } from "../base/time/index.js";

const Clock = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, "expected a clock time HH:MM");

/** When a report is made: daily, weekly, monthly, or by a cron expression of five fields, each by the clock of a zone. */
export const Schedule = z
  .strictObject({
    when: z.discriminatedUnion("every", [
      z.strictObject({ every: z.literal("day"), at: Clock }),
      z.strictObject({ every: z.literal("week"), on: z.enum(WEEKDAYS), at: Clock }),
      /** Of a month that has no such day, its last. */
      z.strictObject({ every: z.literal("month"), on: z.int().min(1).max(31), at: Clock }),
      z.strictObject({ every: z.literal("cron"), cron: z.string().min(9).max(120) }),
    ]),
    zone: z.string().max(60).refine(isZone, "expected a time zone, as Europe/Oslo"),
    /** Notifications whose people and channels get it. */
    routes: z.array(z.int().min(1)).max(20).default([]),
    /** How many of its outputs stay. */
    keep: z.int().min(1).max(1_000).default(30),
    /** Of which sender, group or site, where the report asks. */
    of: z.string().min(1).max(200).nullable().default(null),
    enabled: z.boolean().default(true),
  })
  .superRefine(({ when, zone }, context) => {
    const wrong = whyNever(when, zone);
    if (wrong !== null) context.addIssue({ code: "custom", message: wrong, path: ["when", "cron"] });
  });
export type Schedule = z.infer<typeof Schedule>;

/** Cron expressions that together are due when it is. */
function expressions(when: Schedule["when"]): readonly string[] {
  if (when.every === "cron") return [when.cron.trim()];
  const [hour, minute] = when.at.split(":").map(Number);
  const clock = `${minute} ${hour}`;
  if (when.every === "day") return [`${clock} * * *`];
  if (when.every === "week") return [`${clock} * * ${(WEEKDAYS.indexOf(when.on) + 1) % 7}`];
  // L: the last day of a month
  return [`${clock} ${when.on} * *`, ...shorterThan(when.on).map((month) => `${clock} L ${month} *`)];
}

/** Months that may have fewer days than that. */
const shorterThan = (day: number): readonly number[] => (day === 31 ? [2, 4, 6, 9, 11] : day > 28 ? [2] : []);

function whyNever(when: Schedule["when"], zone: string): string | null {
  const all = expressions(when);
  if (all[0]!.split(/\s+/).length !== 5) return "expected five fields: minute, hour, day of month, month, day of week";
  try {
    return all.some((e) => cron(e, zone).nextRun(dateOf(0)) !== null) ? null : "there is no such moment";
  } catch (e) {
    return `expected a cron expression: ${(e as Error).message}`;
  }
}

const cron = (text: string, zone: string): Cron => new Cron(text, { timezone: zone, paused: true });

/**
 * The first moment after another at which it is due. One that clocks jump over is due when they have; one that comes twice is due once.
 * @returns null where there is none
 */
export function nextDue({ when, zone }: Schedule, afterUs: EpochUs): EpochUs | null {
  const next = expressions(when).flatMap((e) => cron(e, zone).nextRun(dateOf(afterUs))?.getTime() ?? []);
  return next.length === 0 ? null : Math.min(...next) * US_PER_MS;
}

/** Those due after one moment and up to another; of more than `most`, the latest. */
export function duesBetween({ when, zone }: Schedule, afterUs: EpochUs, toUs: EpochUs, most: number): EpochUs[] {
  const before = dateOf(toUs + US_PER_SECOND);
  const dues = expressions(when).flatMap((e) => cron(e, zone).previousRuns(most, before));
  return [...new Set(dues.map((d) => d.getTime() * US_PER_MS))]
    .filter((us) => us > afterUs && us <= toUs)
    .sort((a, b) => a - b)
    .slice(-most);
}

/** In words. */
export function saySchedule({ when, zone }: Schedule): string {
  if (when.every === "cron") return `by cron “${when.cron}”, ${zone}`;
  if (when.every === "day") return `every day at ${when.at}, ${zone}`;
  if (when.every === "week") return `every ${when.on[0]!.toUpperCase()}${when.on.slice(1)} at ${when.at}, ${zone}`;
  return `on day ${when.on} of every month at ${when.at}, ${zone}`;
}

// biome-ignore lint/style/noRestrictedGlobals: the library takes a Date; it is made from an argument, not from a clock
const dateOf = (us: EpochUs) => new Date(us / US_PER_MS);
