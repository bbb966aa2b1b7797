import { type EpochUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "../../base/time/index.js";
import type { Alarm } from "./alarm.js";

/** The load of alarms in a window, in the figures that alarm management measures it by (see `bands.ts` for whose they are). */
export interface Load {
  readonly alarms: number;
  /** Averages over the window. */
  readonly perDay: number;
  readonly perHour: number;
  readonly perTenMinutes: number;
  readonly mostInTenMinutes: number;
  /** Shares of the window, 0 to 1. */
  readonly hoursOver30: number;
  readonly tenMinutesOver10: number;
  readonly timeInFlood: number;
  readonly floods: readonly Flood[];
  /** Shares of the alarms: critical or worse, error, warning or milder. */
  readonly high: number;
  readonly medium: number;
  readonly low: number;
  /** The most that stood for longer than a day, at the end of any day. */
  readonly stale: number;
  /** What came three times or more within a minute. */
  readonly chattering: readonly string[];
  /** Alarms that were over within a minute and do not chatter. */
  readonly fleeting: number;
  /** The share of the ten sources that raise most. */
  readonly topTen: number;
}

/** A stretch in which more came than a person can follow. */
export interface Flood {
  readonly fromUs: EpochUs;
  readonly toUs: EpochUs;
  readonly alarms: number;
}

const TEN_MINUTES_US = 10 * US_PER_MINUTE;
/** A flood begins with more than so many in ten minutes and is over with fewer than so many (ISA-18.2, IEC 62682). */
const FLOOD_BEGINS = 10;
const FLOOD_ENDS = 5;
const MANY_IN_AN_HOUR = 30;
const CHATTER = 3;
const SOURCES = 10;

/** @param alarms in any order; those outside [fromUs, toUs) still stand in it when they last */
export function loadOf(alarms: readonly Alarm[], fromUs: EpochUs, toUs: EpochUs): Load {
  const within = alarms.filter((a) => a.atUs >= fromUs && a.atUs < toUs).sort((a, b) => a.atUs - b.atUs);
  const length = toUs - fromUs;
  const tens = countsBy(within, fromUs, toUs, TEN_MINUTES_US);
  const hours = countsBy(within, fromUs, toUs, US_PER_HOUR);
  const floods = floodsOf(tens, fromUs, toUs);
  const share = (n: number, of: number) => (of === 0 ? 0 : n / of);
  const part = (test: (severity: number) => boolean) =>
    share(within.filter((a) => test(a.severity)).length, within.length);
  const chattering = chatteringOf(within);
  const rate = (us: number) => share(within.length * us, length);
  return {
    alarms: within.length,
    perDay: rate(US_PER_DAY),
    perHour: rate(US_PER_HOUR),
    perTenMinutes: rate(TEN_MINUTES_US),
    mostInTenMinutes: Math.max(0, ...tens),
    hoursOver30: share(hours.filter((n) => n > MANY_IN_AN_HOUR).length, hours.length),
    tenMinutesOver10: share(tens.filter((n) => n > FLOOD_BEGINS).length, tens.length),
    timeInFlood: share(
      floods.reduce((sum, f) => sum + f.toUs - f.fromUs, 0),
      length,
    ),
    floods,
    high: part((s) => s <= 2),
    medium: part((s) => s === 3),
    low: part((s) => s >= 4),
    stale: staleOf(alarms, fromUs, toUs),
    chattering: [...chattering],
    fleeting: within.filter((a) => isFleeting(a) && !chattering.has(a.what)).length,
    topTen: share(
      [...countBySource(within).values()]
        .sort((a, b) => b - a)
        .slice(0, SOURCES)
        .reduce((sum, n) => sum + n, 0),
      within.length,
    ),
  };
}

/** How many came in each step of the window; the last one may be cut short. */
export function countsBy(alarms: readonly Alarm[], fromUs: EpochUs, toUs: EpochUs, stepUs: number): number[] {
  const counts = new Array<number>(Math.ceil((toUs - fromUs) / stepUs)).fill(0);
  for (const { atUs } of alarms) {
    const step = Math.floor((atUs - fromUs) / stepUs);
    if (step >= 0 && step < counts.length) counts[step]!++;
  }
  return counts;
}

export function countBySource(alarms: readonly Alarm[]): ReadonlyMap<string, number> {
  const counts = new Map<string, number>();
  for (const { source } of alarms) counts.set(source, (counts.get(source) ?? 0) + 1);
  return counts;
}

function floodsOf(tens: readonly number[], fromUs: EpochUs, toUs: EpochUs): Flood[] {
  const floods: Flood[] = [];
  let began: number | null = null;
  const close = (end: number) => {
    if (began === null) return;
    const alarms = tens.slice(began, end).reduce((sum, n) => sum + n, 0);
    floods.push({
      fromUs: fromUs + began * TEN_MINUTES_US,
      toUs: Math.min(toUs, fromUs + end * TEN_MINUTES_US),
      alarms,
    });
    began = null;
  };
  for (const [i, n] of tens.entries())
    if (began === null) began = n > FLOOD_BEGINS ? i : null;
    else if (n < FLOOD_ENDS) close(i);
  close(tens.length);
  return floods;
}

function staleOf(alarms: readonly Alarm[], fromUs: EpochUs, toUs: EpochUs): number {
  let most = 0;
  for (let end = Math.min(toUs, fromUs + US_PER_DAY); ; end = Math.min(toUs, end + US_PER_DAY)) {
    const standing = alarms.filter((a) => a.atUs <= end - US_PER_DAY && (a.endedUs === null || a.endedUs > end)).length;
    most = Math.max(most, standing);
    if (end >= toUs) return most;
  }
}

/** @param sorted by time */
function chatteringOf(sorted: readonly Alarm[]): ReadonlySet<string> {
  const lately = new Map<string, EpochUs[]>();
  const found = new Set<string>();
  for (const { what, atUs } of sorted) {
    const times = [...(lately.get(what) ?? []).filter((t) => t > atUs - US_PER_MINUTE), atUs];
    lately.set(what, times);
    if (times.length >= CHATTER) found.add(what);
  }
  return found;
}

const isFleeting = ({ atUs, endedUs }: Alarm): boolean => endedUs !== null && endedUs - atUs < US_PER_MINUTE;
