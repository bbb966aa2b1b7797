import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";

/** A record as far as outages of interfaces go. */
export interface LinkRecord {
  readonly id: string;
  readonly timeUs: EpochUs;
  readonly sender: number;
  readonly interface: string | null | undefined;
  readonly category: string;
  readonly outcome: string;
}

/** A record of a link as one end of an outage. */
export interface OutageEnd {
  /** The record at the other end. */
  readonly other: string;
  readonly end: "down" | "up";
  readonly lastedUs: number;
}

/** What says "up" so soon after another that said it is the same heard twice (common practice, no source). */
const REPEAT_US = 10 * US_PER_SECOND;

/**
 * Which records of links go together: the first that says an interface went down, and the first after it that says it came up. What repeats
 * either (the same heard as a trap and as a message) belongs to the same outage.
 * @param records in the order of time, oldest first
 */
export function outages(records: Iterable<LinkRecord>): Map<string, OutageEnd> {
  const found = new Map<string, OutageEnd>();
  const down = new Map<string, { readonly sinceUs: EpochUs; readonly ids: string[] }>();
  const ended = new Map<string, { readonly upUs: EpochUs; readonly end: OutageEnd }>();
  for (const r of records) {
    if (r.category !== "link" || !r.interface) continue;
    const key = `${r.sender} ${r.interface}`;
    const open = down.get(key);
    if (r.outcome === "failure") {
      if (open) open.ids.push(r.id);
      else down.set(key, { sinceUs: r.timeUs, ids: [r.id] });
    } else if (r.outcome === "success" && open) {
      const lastedUs = r.timeUs - open.sinceUs;
      for (const id of open.ids) found.set(id, { other: r.id, end: "down", lastedUs });
      const end: OutageEnd = { other: open.ids[0]!, end: "up", lastedUs };
      found.set(r.id, end);
      ended.set(key, { upUs: r.timeUs, end });
      down.delete(key);
    } else if (r.outcome === "success") {
      const before = ended.get(key);
      if (before && r.timeUs - before.upUs <= REPEAT_US) found.set(r.id, before.end);
    }
  }
  return found;
}
