import type { Measured, ReportMade } from "@halvik/contract/reports";
import { formatZoned, readRfc3339 } from "@halvik/core/base/time";
import { sayLimit, sayRough } from "@halvik/core/report";
import { sayCoverage } from "../../intake/say-coverage.js";

/** A moment as people in the report's zone read it, to the second, with how far that is from UTC. */
export const momentIn = (zone: string, time: string): string => formatZoned(readRfc3339(time)!.us, zone);
/** The same to the minute; the zone is said elsewhere. */
export const minuteIn = (zone: string, time: string): string => momentIn(zone, time).slice(0, 16);

/** What a measured part tells, in words. */
export const readingWithName = ({ says, reading }: Measured): string =>
  `${says[0]!.toUpperCase()}${says.slice(1)}: ${reading}`;

/** What a measured part cannot say, and what guards it, in words. */
export function openOf(measured: Measured, zone: string): string[] {
  const said: string[] = [];
  if (!measured.complete)
    said.push(`At least: of the newest records only, back to ${momentIn(zone, measured.coveredFrom)}.`);
  if ([measured.total, ...measured.rows].some((r) => !r.exact)) said.push(sayRough(measured));
  for (const limit of measured.limits) said.push(`Guarded: ${sayLimit(limit)}.`);
  return said;
}

/** What the period of a report lacks, as far as Halvik knows, in words. */
export function lackingOf({ lacking, zone, firstRecord, window }: ReportMade): string[] {
  const said: string[] = [];
  if (firstRecord !== null && firstRecord > window.from)
    said.push(`The first record there is happened at ${momentIn(zone, firstRecord)}.`);
  said.push(...sayCoverage(lacking, (at) => momentIn(zone, at)));
  return said.length === 0 ? ["No known gaps in this period."] : said;
}

/** The lines that stand at the head of every output. */
export function headOf(made: ReportMade): [string, string][] {
  const { zone, comparable } = made;
  const between = ({ from, to }: ReportMade["window"]) => `${minuteIn(zone, from)} to ${minuteIn(zone, to)}`;
  return [
    ["Period", `${between(made.window)} (${made.period}, ${zone})`],
    ["Compared with", `${between(made.before)}${comparable ? "" : ": not there whole, so nothing is compared"}`],
    ...(made.of === null ? [] : [["Of", made.of] as [string, string]]),
    ...(made.filter === "" ? [] : [["Filter", made.filter] as [string, string]]),
    ["Made", `${momentIn(zone, made.made)} by ${made.by}, in ${(made.tookMs / 1_000).toFixed(1)} s`],
  ];
}

/** What goes before a value that is not exact. */
export const roughly = ({ exact }: { readonly exact: boolean }): string => (exact ? "" : "≈ ");
