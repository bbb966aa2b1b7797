import { US_PER_DAY } from "@halvik/core/base/time";
import { type OutageEnd, outages } from "@halvik/core/meaning";
import type { HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { parseFilter, quoteIfNeeded } from "@halvik/core/query/filter";
import type { Ask } from "./questions.js";

/** How far before and after a record the other end of its outage is looked for, and among how many records of its interface. */
const WITHIN_US = 30 * US_PER_DAY;
const MOST = 50;
const BUDGET_MS = 500;

/** The outage of an interface that a record is an end of; null: it is none, or the other end is not known. */
export async function outageOf(
  ask: Ask,
  record: HalvikRecord,
  senders: SenderDirectory,
  nowUs: number,
): Promise<OutageEnd | null> {
  if (record.category !== "link" || record.interface === null || record.outcome === "unknown") return null;
  const text = `category is link and sender is ${quoteIfNeeded(senders.name(record.sender))} and interface is ${quoteIfNeeded(record.interface)}`;
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) return null;
  const { filter } = parsed;
  const scope = { filter, nowUs, budgetMs: BUDGET_MS, limit: MOST, cursor: null };
  const before = await ask(filter).page({
    ...scope,
    fromUs: record.timeUs - WITHIN_US,
    toUs: record.timeUs + 1,
    direction: "older",
  });
  const after = await ask(filter).page({
    ...scope,
    fromUs: record.timeUs + 1,
    toUs: record.timeUs + WITHIN_US,
    direction: "newer",
  });
  return outages([...[...before.records].reverse(), ...after.records]).get(record.id) ?? null;
}
