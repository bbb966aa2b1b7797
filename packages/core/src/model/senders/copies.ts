import { US_PER_SECOND } from "../../base/time/index.js";
import type { RecordContent } from "../record/index.js";

const WINDOW_US = 10 * US_PER_SECOND;
const SLOTS = 1 << 17;
const PROBES = 8;

/**
 * A table of the last 10 s in flat arrays: keys are 64-bit hashes, so that 15,000 messages a second leave nothing for the
 * garbage collector. When all places for a key are taken, the oldest gives way. Two of 100,000 messages share a key with
 * a chance of about 10⁻⁹.
 */
class RecentTable {
  private readonly high = new Uint32Array(SLOTS);
  private readonly low = new Uint32Array(SLOTS);
  readonly timeUs = new Float64Array(SLOTS).fill(Number.NEGATIVE_INFINITY);
  readonly number = new Float64Array(SLOTS);
  readonly path = new Int32Array(SLOTS);

  /** The slot of a key heard within the window, or the one to put it in. */
  find(high: number, low: number, nowUs: number): { slot: number; known: boolean } {
    let oldest = -1;
    for (let i = 0; i < PROBES; i++) {
      const slot = (low + i) & (SLOTS - 1);
      const fresh = nowUs - this.timeUs[slot]! <= WINDOW_US;
      if (fresh && this.high[slot] === high && this.low[slot] === low) return { slot, known: true };
      if (oldest < 0 || this.timeUs[slot]! < this.timeUs[oldest]!) oldest = slot;
    }
    this.high[oldest] = high;
    this.low[oldest] = low;
    return { slot: oldest, known: false };
  }
}

/**
 * Finds copies over relays (`docs/semantics.md` 10): the same original host, device time, app, process id and text by a
 * different path within 10 s is a copy, the n-th on a path of the n-th original. Repeats on one path are real.
 * Only messages with a device time are looked at: without one, equal texts are no evidence.
 */
export class CopyFinder {
  private readonly counts = new RecentTable();
  private readonly originals = new RecentTable();
  private readonly paths = new Map<string, Map<string, number>>();
  private pathCount = 0;
  /** Where the last message asked for was put as an original; null: it was none. */
  private lastOriginal: number | null = null;

  /**
   * @param peer and @param endpoint the transport path
   * @param id what to give back for a copy of this record
   * @returns the id of the original when this is a copy of it, else null
   */
  check(content: RecordContent, peer: string, endpoint: string, id: number): number | null {
    this.lastOriginal = null;
    if (content.deviceTime === null || content.host === null) return null;
    const hash = new MessageHash();
    hash.add(content.host.toLowerCase());
    hash.add(content.deviceTime);
    hash.add(content.app ?? "");
    hash.add(content.process ?? "");
    hash.add(content.text);
    const pathNumber = this.pathNumber(peer, endpoint);
    const nth = this.occurrence(hash, pathNumber, content.receivedUs);
    const { slot, known } = this.originals.find(
      (hash.high + Math.imul(nth, 0x9e3779b1)) >>> 0,
      (hash.low ^ Math.imul(nth, 0x85ebca6b)) >>> 0,
      content.receivedUs,
    );
    if (known && this.originals.path[slot] !== pathNumber) return this.originals.number[slot]!;
    this.originals.path[slot] = pathNumber;
    this.originals.number[slot] = id;
    this.originals.timeUs[slot] = content.receivedUs;
    this.lastOriginal = slot;
    return null;
  }

  /** The message asked for last is not stored after all: what comes by another path is no copy of it. */
  forgetLast(): void {
    if (this.lastOriginal !== null) this.originals.timeUs[this.lastOriginal] = Number.NEGATIVE_INFINITY;
    this.lastOriginal = null;
  }

  /** How often this message came by this path before, within the window. */
  private occurrence(hash: MessageHash, path: number, nowUs: number): number {
    const { slot, known } = this.counts.find(
      (hash.high ^ Math.imul(path + 1, 0xc2b2ae35)) >>> 0,
      (hash.low + Math.imul(path + 1, 0x27d4eb2f)) >>> 0,
      nowUs,
    );
    const nth = known ? this.counts.number[slot]! + 1 : 0;
    this.counts.number[slot] = nth;
    this.counts.timeUs[slot] = nowUs;
    return nth;
  }

  private pathNumber(peer: string, endpoint: string): number {
    let byPeer = this.paths.get(endpoint);
    if (byPeer === undefined) {
      byPeer = new Map();
      this.paths.set(endpoint, byPeer);
    }
    let number = byPeer.get(peer);
    if (number === undefined) {
      if (this.pathCount >= 100_000) {
        this.paths.clear();
        this.pathCount = 0;
        byPeer = new Map();
        this.paths.set(endpoint, byPeer);
      }
      number = this.pathCount++;
      byPeer.set(peer, number);
    }
    return number;
  }
}

/** Two 32-bit FNV-1a hashes with different starts, over UTF-16 units and a mark after each part. */
class MessageHash {
  high = 0x811c9dc5;
  low = 0x1000193;

  add(text: string): void {
    let { high, low } = this;
    for (let i = 0; i < text.length; i++) {
      const c = text.charCodeAt(i);
      high = Math.imul(high ^ c, 0x01000193);
      low = Math.imul(low ^ (c + 0x9e37), 0x5bd1e995);
    }
    this.high = Math.imul(high ^ 1, 0x01000193) >>> 0;
    this.low = Math.imul(low ^ 0x1f, 0x5bd1e995) >>> 0;
  }
}
