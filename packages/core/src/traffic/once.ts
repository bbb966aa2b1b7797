import { AgedMap } from "../base/collections/index.js";
import { type EpochUs, US_PER_DAY, US_PER_HOUR } from "../base/time/index.js";
import type { Passage } from "./passage.js";

/** Exporters cut what lasts at their own moments: what another has told of, to this much, is the same. */
const SAME_US = 1_000_000;
/** What comes so long after is a conversation of its own, even between the same ports. */
const BREAK_US = US_PER_HOUR;

/** Conversations that are remembered while one meter alone tells. */
const ALONE = 5_000;

interface Told {
  meter: number;
  /** The time that was told of without a break. */
  fromUs: EpochUs;
  untilUs: EpochUs;
}

/** Everything of a passage counts. */
export const WHOLE = Number.NEGATIVE_INFINITY;
/** Nothing of it does: it was told already. */
export const NOTHING = Number.POSITIVE_INFINITY;

/**
 * Counts a conversation once that several exporters tell of, or one that meters where it comes in and where it goes out (`docs/traffic.md`). For
 * each conversation and direction the time is covered once: what a meter tells counts from where another has not told already. What one of
 * them lost counts by what the next one tells. A meter that samples counts only where none that counts every packet tells of the same two
 * addresses.
 */
export class OnceCounter {
  /** While one meter alone tells, little has to be remembered: what a second one may begin with. */
  private onlyMeter: number | null = null;
  private areSeveral = false;
  /** By conversation; the one told of last stands last. */
  private readonly told = new AgedMap<string, Told>();
  /** By pair of addresses: when an exporter that counts every packet told of it last. */
  private readonly exactly = new AgedMap<string, EpochUs>();
  private forgot = 0;

  /** @param most conversations, and pairs of addresses, that it may remember now */
  constructor(private readonly most: () => number) {}

  /** Conversations forgotten because too many were going on: what is told of them again counts again. */
  get forgotten(): number {
    return this.forgot;
  }

  /** @returns from which moment on the passage counts: WHOLE, NOTHING, or between */
  take(p: Passage): EpochUs {
    this.onlyMeter ??= p.meter;
    this.areSeveral ||= p.meter !== this.onlyMeter;
    const most = this.areSeveral ? this.most() : ALONE;
    const { startUs, endUs } = p.stretch;
    if (!p.isSampled) remember(this.exactly, p.pair, endUs, most);
    else if (endUs - (this.exactly.get(p.pair) ?? WHOLE) < US_PER_DAY) return NOTHING;
    const known = this.told.get(p.conversation);
    if (known === undefined) {
      this.forgot += remember(
        this.told,
        p.conversation,
        { meter: p.meter, fromUs: startUs, untilUs: endUs },
        this.most(),
      );
      return WHOLE;
    }
    // while there is room, who was told of last need not stand last
    if (this.told.size > most / 2) {
      this.told.delete(p.conversation);
      this.told.set(p.conversation, known);
    }
    // late, from before all that is remembered
    if (endUs < known.fromUs) return WHOLE;
    if (known.meter === p.meter || startUs >= known.untilUs) {
      if (startUs > known.untilUs + BREAK_US) known.fromUs = startUs;
      known.meter = p.meter;
      known.untilUs = Math.max(known.untilUs, endUs);
      return WHOLE;
    }
    if (endUs <= known.untilUs + SAME_US) return NOTHING;
    const fromUs = known.untilUs;
    known.meter = p.meter;
    known.untilUs = endUs;
    return fromUs;
  }
}

/** @returns how many had to be forgotten for it */
function remember<T>(all: AgedMap<string, T>, key: string, value: T, most: number): number {
  if (all.size > most / 2) all.delete(key);
  all.set(key, value);
  let forgotten = 0;
  for (; all.size > most; forgotten++) all.dropOldest();
  return forgotten;
}
