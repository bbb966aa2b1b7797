/** Records of one sort that are stored day by day, and how long each is kept. */
export interface StoredStream {
  readonly recordsADay: number;
  /** Disk that one takes, with its indexes and all that is kept beside it. */
  readonly bytesARecord: number;
  readonly keepDays: number;
  /** How many days of it are stored already; the oldest goes when it is as old as it may be. */
  readonly storedDays: number;
}

/** Longer than this nobody plans. */
const MOST_DAYS = 3_660;

const bytesADay = (s: StoredStream): number => s.recordsADay * s.bytesARecord;

/** Octets all streams take when each is as old as it may be. */
export const steadyBytes = (streams: readonly StoredStream[]): number =>
  streams.reduce((sum, s) => sum + bytesADay(s) * s.keepDays, 0);

/** Octets by which the store is greater after so many days than it is now. */
export const growthAfter = (streams: readonly StoredStream[], days: number): number =>
  streams.reduce(
    (sum, s) => sum + bytesADay(s) * (Math.min(s.keepDays, s.storedDays + days) - Math.min(s.keepDays, s.storedDays)),
    0,
  );

/**
 * In how many days the streams have taken what is free, at the rate of today.
 * @param freeBytes what they may still take
 * @returns 0: it is full now; null: never, as long as nothing changes
 */
export function fullInDays(streams: readonly StoredStream[], freeBytes: number): number | null {
  if (freeBytes <= 0) return 0;
  if (growthAfter(streams, MOST_DAYS) <= freeBytes) return null;
  // it only grows: the first day on which it is too much
  let [low, high] = [0, MOST_DAYS];
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    if (growthAfter(streams, middle) > freeBytes) high = middle;
    else low = middle;
  }
  return high;
}
