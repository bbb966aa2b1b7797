import * as z from "zod";
import {
  clockToInstant,
  type EpochUs,
  isZone,
  readRfc3339,
  US_PER_DAY,
  US_PER_MINUTE,
  WEEKDAYS,
  zoneOffsetUs,
} from "../../base/time/index.js";

const WEEK_DAYS = 7;
/** Monday of the first week of 1970 was the 29th of December: days since 1970-01-01, a Thursday. */
const A_MONDAY = -3;

const Person = z.object({
  name: z.string().trim().min(1, "expected a name").max(80),
  to: z.email("expected a mail address"),
});

/** Who is on duty, week by week. */
export const Rota = z.object({
  name: z.string().trim().min(1, "expected a name").max(80),
  zone: z.string().max(60).refine(isZone, "expected a time zone, as Europe/Oslo"),
  /** When one hands over to the next. */
  day: z.enum(WEEKDAYS).default("monday"),
  at: z
    .string()
    .regex(/^([01]\d|2[0-3]):[0-5]\d$/, "expected a clock time HH:MM")
    .default("08:00"),
  /** A day of the week in which the first of them begins, YYYY-MM-DD. */
  from: z.iso.date("expected a day as 2026-11-28"),
  people: z.array(Person).min(1, "expected somebody").max(50),
  /** Somebody else, from and to a moment. The first that holds counts. */
  instead: z
    .array(
      z
        .object({ from: z.iso.datetime({ offset: true }), to: z.iso.datetime({ offset: true }), person: Person })
        .refine((i) => usOf(i.to) > usOf(i.from), { message: "expected an end after its begin", path: ["to"] }),
    )
    .max(100)
    .default([]),
});
export type Rota = z.infer<typeof Rota>;

/** Somebody's time on duty. */
export interface Duty {
  readonly name: string;
  readonly to: string;
  /** When it ends: the handover, or the end of what stands instead. */
  readonly untilUs: EpochUs;
}

/** Who is on duty at a moment. Turns are whole weeks by the clock of the zone: a week in which clocks change is an hour longer or shorter. */
export function onDuty(rota: Rota, atUs: EpochUs): Duty {
  for (const { from, to, person } of rota.instead)
    if (atUs >= usOf(from) && atUs < usOf(to)) return { ...person, untilUs: usOf(to) };
  const turn = turnOf(rota, dayOf(atUs, rota.zone), atUs);
  const first = weekOf(rota, Math.floor(usOf(`${rota.from}T00:00:00Z`) / US_PER_DAY));
  const { people } = rota;
  const place = (((turn - first) % people.length) + people.length) % people.length;
  const handoverUs = handover(rota, turn + 1);
  const begins = rota.instead.map((i) => usOf(i.from)).filter((us) => us > atUs);
  return { ...people[place]!, untilUs: Math.min(handoverUs, ...begins) };
}

/** The turn that holds a moment, counted in weeks. */
function turnOf(rota: Rota, day: number, atUs: EpochUs): number {
  const week = weekOf(rota, day);
  return atUs < handover(rota, week) ? week - 1 : week;
}

/** The week, from handover day to handover day, that a day lies in. */
const weekOf = ({ day }: Rota, days: number): number =>
  Math.floor((days - A_MONDAY - WEEKDAYS.indexOf(day)) / WEEK_DAYS);

function handover(rota: Rota, week: number): EpochUs {
  const day = week * WEEK_DAYS + A_MONDAY + WEEKDAYS.indexOf(rota.day);
  const minutes = Number(rota.at.slice(0, 2)) * 60 + Number(rota.at.slice(3, 5));
  return clockToInstant(rota.zone, day * US_PER_DAY + minutes * US_PER_MINUTE);
}

const dayOf = (us: EpochUs, zone: string): number => Math.floor((us + zoneOffsetUs(zone, us)) / US_PER_DAY);
const usOf = (text: string): EpochUs => readRfc3339(text)?.us ?? 0;
