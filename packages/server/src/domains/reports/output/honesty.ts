import type { Measured, ReportMade } from "@halvik/contract/reports";
import { formatZoned, readRfc3339 } from "@halvik/core/base/time";

/** A moment as people in the report's zone read it. */
export const momentIn = (zone: string, time: string): string => formatZoned(readRfc3339(time)!.us, zone);

/** What a measured part cannot say, in words. */
export function openOf(measured: Measured, zone: string): string[] {
  const said = [];
  if (!measured.complete)
    said.push(`At least: of the newest records only, back to ${momentIn(zone, measured.coveredFrom)}.`);
  if ([measured.total, ...measured.rows].some((r) => !r.exact))
    said.push("≈: right within 2.5 %, or at least that many different values.");
  return said;
}

/** What the period of a report lacks, as far as Halvik knows, in words. */
export function lackingOf({ lacking, zone }: ReportMade): string[] {
  const said = lacking.notListening.map(
    (g) => `Nobody listened from ${momentIn(zone, g.from)} to ${momentIn(zone, g.to)}.`,
  );
  if (lacking.lost > 0) said.push(`${lacking.lost} datagrams or records were lost.`);
  if (lacking.capped > 0) said.push(`${lacking.capped} were over the cap of their sender.`);
  if (lacking.flowGaps > 0) said.push(`${lacking.flowGaps} flow datagrams are missing by their exporters' numbers.`);
  if (lacking.shed > 0) said.push(`${lacking.shed} records were dropped before their time, for want of disk.`);
  if (lacking.droppedByRules > 0) said.push(`${lacking.droppedByRules} records were dropped on arrival by rules.`);
  if (lacking.silent.length > 0) said.push(`Went silent: ${lacking.silent.join(", ")}.`);
  if (lacking.keptFrom !== undefined) said.push(`Records are kept from ${momentIn(zone, lacking.keptFrom)} on.`);
  return said.length === 0 ? ["No known gaps in this period."] : said;
}

/** The lines that stand at the head of every output. */
export function headOf(made: ReportMade): [string, string][] {
  const { zone } = made;
  return [
    ["Period", `${momentIn(zone, made.window.from)} to ${momentIn(zone, made.window.to)} (${made.period}, ${zone})`],
    ["Compared with", `${momentIn(zone, made.before.from)} to ${momentIn(zone, made.before.to)}`],
    ...(made.of === null ? [] : [["Of", made.of] as [string, string]]),
    ...(made.filter === "" ? [] : [["Filter", made.filter] as [string, string]]),
    ["Made", `${momentIn(zone, made.made)} by ${made.by}, in ${(made.tookMs / 1_000).toFixed(1)} s`],
  ];
}
