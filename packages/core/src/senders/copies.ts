import type { RecordContent } from "../record/index.js";
import { type EpochUs, US_PER_SECOND } from "../time/index.js";

const WINDOW_US = 10 * US_PER_SECOND;
const MAX_KEYS = 50_000;

interface Originals {
  /** Path and id of each occurrence on the path seen first, in order. */
  readonly path: string;
  readonly ids: string[];
  /** How many copies each other path has brought so far. */
  readonly copies: Map<string, number>;
  lastUs: EpochUs;
}

/**
 * Finds copies over relays (`semantics.md` 10): the same original host, device time, app, process id and text by a
 * different path within 10 s is a copy, the n-th copy on a path of the n-th original. Repeats on one path are real.
 * Only messages with a device time are looked at: without one, equal texts are no evidence. Bounded: the oldest
 * 50,000 keys are kept.
 */
export class CopyFinder {
  private readonly seen = new Map<string, Originals>();

  /**
   * @param path the transport path: peer address and endpoint
   * @returns the id of the original when this is a copy of it, else null
   */
  check(content: RecordContent, path: string, id: string): string | null {
    if (content.deviceTime === null || content.host === null) return null;
    const key = `${content.host.toLowerCase()}\u0001${content.deviceTime}\u0001${content.app ?? ""}\u0001${content.process ?? ""}\u0001${content.text}`;
    const known = this.seen.get(key);
    if (known === undefined || content.receivedUs - known.lastUs > WINDOW_US) {
      this.seen.delete(key);
      this.seen.set(key, { path, ids: [id], copies: new Map(), lastUs: content.receivedUs });
      if (this.seen.size > MAX_KEYS) this.seen.delete(this.seen.keys().next().value!);
      return null;
    }
    known.lastUs = Math.max(known.lastUs, content.receivedUs);
    if (known.path === path) {
      known.ids.push(id);
      return null;
    }
    const n = known.copies.get(path) ?? 0;
    known.copies.set(path, n + 1);
    return known.ids[n] ?? null;
  }
}
