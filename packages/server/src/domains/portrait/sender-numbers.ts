import type { SenderNumbers } from "@halvik/contract/senders";
import { numbered } from "@halvik/core/assure";
import { formatUs } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter, quoteIfNeeded } from "@halvik/core/query/filter";
import { newestRecords } from "../records/newest-records.js";
import type { Ask } from "../records/questions.js";

/** Where messages carry a number of their sender's, and what else tells one stream of them from another. */
const NUMBERED = [
  { what: "record ids of Windows logs", kind: "windows", number: "record id", stream: "log" },
  { what: "sequenceId of syslog", kind: "syslog", number: "meta sequenceId", stream: null },
] as const;

/** Whoever sends names its machines and logs. */
const MOST_STREAMS = 50;
/** The newest that are looked at of each sort, and for how long. */
const [MOST, BUDGET_MS] = [20_000, 3_000];

/** What a sender's own numbers say of what came in a window: which of them never did. */
export async function senderNumbers(
  ask: Ask,
  directory: SenderDirectory,
  name: string,
  window: { readonly fromUs: number; readonly toUs: number },
  nowUs: number,
): Promise<SenderNumbers> {
  const streams: SenderNumbers["streams"] = [];
  let sinceUs = window.fromUs;
  for (const { what, kind, number, stream } of NUMBERED) {
    const filter = filterOf(
      `sender is ${quoteIfNeeded(name)} and kind is ${kind} and data "${number}" present`,
      directory,
    );
    const { records, isWhole } = await newestRecords(ask, filter, window, nowUs, { most: MOST, budgetMs: BUDGET_MS });
    if (!isWhole) sinceUs = Math.max(sinceUs, records[records.length - 1]?.timeUs ?? sinceUs);
    const byStream = new Map<string, number[]>();
    // in the order of time
    for (const record of records.toReversed()) {
      const dataOf = (wanted: string) => record.data.find(([n]) => n === wanted)?.[1];
      const n = Number(dataOf(number));
      if (!Number.isSafeInteger(n) || n < 0) continue;
      const of = [stream === null ? null : (dataOf(stream) ?? ""), record.host].filter(Boolean).join(" on ");
      const known = byStream.get(of);
      if (known === undefined) byStream.set(of, [n]);
      else known.push(n);
    }
    for (const [of, numbers] of byStream) streams.push({ what, of, ...numbered(numbers)! });
  }
  streams.sort((a, b) => b.received - a.received || (a.of < b.of ? -1 : 1));
  return { since: formatUs(sinceUs), streams: streams.slice(0, MOST_STREAMS) };
}

function filterOf(text: string, directory: SenderDirectory): Filter {
  const parsed = parseFilter(text, { zone: "UTC", directory });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
}
