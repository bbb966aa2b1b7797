import { median } from "../../base/statistics/index.js";
import { type EpochUs, US_PER_MINUTE, US_PER_SECOND } from "../../base/time/index.js";
import type { HalvikRecord } from "../record/index.js";

/** How far the clocks of two senders were apart, as what both told of says. */
export interface SharedOffset {
  /** What the other's times are to be moved by, to be as the first one's clock. */
  readonly offsetUs: number;
  /** By how much that may be wrong. */
  readonly uncertaintyUs: number;
  /** Events both told of. */
  readonly events: number;
}

/** One event may be a chance: so many must agree (our own choice). */
const LEAST_EVENTS = 3;
/** Clocks of one file are no further apart than this; what is, is another event. */
const MOST_APART_US = 15 * US_PER_MINUTE;
/** Events that lie further apart among themselves than this say nothing of clocks. */
const MOST_SPREAD_US = 2 * US_PER_SECOND;
/** A text that short is said of many things. */
const LEAST_TEXT = 20;

/**
 * How far the clocks of other senders were from the first one's, by events that both told of: the same connection, or the same message, each once
 * with each. Of senders that share too few events, or whose events do not agree, nothing is said.
 * @param records of one file, of several senders
 */
export function sharedOffsets(
  records: readonly Pick<
    HalvikRecord,
    "sender" | "timeUs" | "src" | "dst" | "srcPort" | "dstPort" | "protocol" | "app" | "text"
  >[],
  first: number,
): ReadonlyMap<number, SharedOffset> {
  const bySender = new Map<number, Map<string, EpochUs | null>>();
  for (const r of records) {
    const key = eventOf(r);
    if (key === null) continue;
    const events = bySender.get(r.sender) ?? new Map<string, EpochUs | null>();
    bySender.set(r.sender, events);
    // what one told of twice is no event by which clocks are told apart
    events.set(key, events.has(key) ? null : r.timeUs);
  }
  const own = bySender.get(first);
  const found = new Map<number, SharedOffset>();
  if (own === undefined) return found;
  for (const [sender, events] of bySender) {
    if (sender === first) continue;
    const apart: number[] = [];
    for (const [key, us] of events) {
      const ownUs = own.get(key);
      if (us !== null && ownUs != null && Math.abs(ownUs - us) <= MOST_APART_US) apart.push(ownUs - us);
    }
    if (apart.length < LEAST_EVENTS) continue;
    const middle = median(apart);
    const spread = median(apart.map((d) => Math.abs(d - middle)));
    if (spread <= MOST_SPREAD_US)
      found.set(sender, { offsetUs: Math.round(middle), uncertaintyUs: Math.round(spread), events: apart.length });
  }
  return found;
}

/** What tells an event from others, whoever tells of it; null: it may be one of many. */
function eventOf(r: Parameters<typeof sharedOffsets>[0][number]): string | null {
  const { src, dst, srcPort, dstPort, protocol } = r;
  if (src !== null && dst !== null && srcPort !== null && dstPort !== null)
    return `connection ${src} ${srcPort} ${dst} ${dstPort} ${protocol}`;
  return r.text.length < LEAST_TEXT ? null : `message ${r.app} ${r.text}`;
}
