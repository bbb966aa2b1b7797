import { formatDuration } from "@halvik/core/base/time";

const formats = new Map<string, Intl.DateTimeFormat>();

function format(zone: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = zone + JSON.stringify(options);
  let f = formats.get(key);
  if (!f) {
    f = new Intl.DateTimeFormat("en-GB", { timeZone: zone, hourCycle: "h23", ...options });
    formats.set(key, f);
  }
  return f;
}

const CLOCK = { hour: "2-digit", minute: "2-digit", second: "2-digit" } as const;
const MINUTE = { hour: "2-digit", minute: "2-digit" } as const;
const DAY = { day: "numeric", month: "short" } as const;

export const clockMs = (us: number, zone: string): string =>
  `${format(zone, CLOCK).format(us / 1_000)}.${String(Math.floor((us % 1e6) / 1e3)).padStart(3, "0")}`;
export const clock = (us: number, zone: string): string => format(zone, CLOCK).format(us / 1_000);
export const minute = (us: number, zone: string): string => format(zone, MINUTE).format(us / 1_000);
export const hour = (us: number, zone: string): string => `${format(zone, { hour: "2-digit" }).format(us / 1_000)}:00`;
/** The year that goes without saying; null: none is written. */
let presentYear: string | null = null;
export const yearOf = (us: number, zone: string): string => format(zone, { year: "numeric" }).format(us / 1_000);

/** Says what time it is, so that days of other years are written with theirs: a file of last year is not of this one. */
export function setPresent(nowUs: number, zone: string): void {
  presentYear = yearOf(nowUs, zone);
}

/** "24 Nov": fits the rail. */
export const dayOfMonth = (us: number, zone: string): string => format(zone, DAY).format(us / 1_000);
/** "24 Nov", or "24 Nov 2025" where that is not the present year. */
export function day(us: number, zone: string): string {
  const year = presentYear === null ? null : yearOf(us, zone);
  return year === presentYear ? dayOfMonth(us, zone) : `${dayOfMonth(us, zone)} ${year}`;
}
/** "Nov". */
export const monthName = (us: number, zone: string): string => format(zone, { month: "short" }).format(us / 1_000);
/** "Tu 24": fits the rail. */
export const weekday = (us: number, zone: string): string =>
  `${format(zone, { weekday: "short" })
    .format(us / 1_000)
    .slice(0, 2)} ${format(zone, { day: "numeric" }).format(us / 1_000)}`;
export const dayClock = (us: number, zone: string): string => `${day(us, zone)} ${clock(us, zone)}`;
export const dayMinute = (us: number, zone: string): string => `${day(us, zone)} ${minute(us, zone)}`;
export const ago = (us: number, nowUs: number): string => formatDuration(Math.max(0, nowUs - us));
