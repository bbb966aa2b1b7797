import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";
import type { HalvikRecord, RecordKind } from "../model/record/index.js";

/** How far apart the two ways of hearing one event may be: as for copies over relays (`docs/semantics.md` 10). */
const WITHIN_US = 10 * US_PER_SECOND;
const MOST_KEYS = 20_000;
/** Ways by which a device tells of the same event of its own. */
const WAYS: readonly RecordKind[] = ["syslog", "snmp", "windows"];
interface Heard {
  readonly id: string;
  readonly timeUs: EpochUs;
  readonly way: RecordKind;
  readonly isEcho: boolean;
  /** Other ways by which it was heard too. */
  readonly again: RecordKind[];
}

/**
 * Finds events that were heard twice: what a device says by syslog and by trap is one event, and counts once. The n-th by one way is the
 * n-th by another, whichever comes first; repeats by the same way are real.
 */
export class EchoFinder {
  private heard = new Map<string, Heard[]>();
  private latestUs = Number.NEGATIVE_INFINITY;

  /** Whether the same event was heard by another way before. The same record has the same answer again. */
  isEcho(record: HalvikRecord): boolean {
    const { kind: way, timeUs, id } = record;
    const what = WAYS.includes(way) ? subjectOf(record) : null;
    if (what === null) return false;
    this.latestUs = Math.max(this.latestUs, timeUs);
    const key = `${record.sender} ${record.outcome} ${what}`;
    const near = (this.heard.get(key) ?? []).filter((h) => Math.abs(h.timeUs - timeUs) <= WITHIN_US);
    const same = near.find((h) => h.id === id);
    if (same !== undefined) return same.isEcho;
    const first = near.find((h) => !h.isEcho && h.way !== way && !h.again.includes(way));
    first?.again.push(way);
    const isEcho = first !== undefined;
    near.push({ id, timeUs, way, isEcho, again: [] });
    this.heard.set(key, near);
    if (this.heard.size > MOST_KEYS) this.forget();
    return isEcho;
  }

  private forget(): void {
    for (const [key, list] of this.heard)
      if (list.every((h) => h.timeUs < this.latestUs - WITHIN_US)) this.heard.delete(key);
    // a flood of keys within seconds: bounded memory goes before counting once
    if (this.heard.size > MOST_KEYS) this.heard.clear();
  }
}

/**
 * What an event is about, where devices tell of it by more than one way and both say so much that it can be told to be the same: the fall of
 * a port, the loss of a neighbour. Null: of all else a second record is a second event.
 */
function subjectOf(r: HalvikRecord): string | null {
  if (r.category === "link") return r.interface;
  if (r.category !== "routing") return null;
  const addresses = [r.src, r.dst, ...r.otherAddresses].filter((a) => a !== null);
  return addresses.length === 0 ? null : `neighbour ${[...new Set(addresses)].sort().join(" ")}`;
}

/** Lanes of imports come and go. */
const MOST_LANES = 100;

/** One for each lane. */
export class EchoFinders {
  private readonly byLane = new Map<string, EchoFinder>();

  of(lane: string): EchoFinder {
    let finder = this.byLane.get(lane);
    if (finder === undefined) {
      if (this.byLane.size >= MOST_LANES) this.byLane.clear();
      finder = new EchoFinder();
      this.byLane.set(lane, finder);
    }
    return finder;
  }
}
