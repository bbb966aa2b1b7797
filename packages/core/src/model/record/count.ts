/**
 * A whole number from 0 to 2^63 − 1: octets and packets exceed 2^53 at exporters that never start their counters anew. A number while it
 * is exact as one, else a bigint; never both ways for the same value, so that `===` and `<` hold between any two.
 */
export type Count = number | bigint;

/** The most a signed 64-bit column holds. */
export const MAX_COUNT = 2n ** 63n - 1n;

/** @returns null from 2^63 on, and below 0 */
export function toCount(n: bigint): Count | null {
  if (n < 0n || n > MAX_COUNT) return null;
  return n <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(n) : n;
}

/** A counter times its sampling rate; null where that is 2^63 or more. */
export function timesRate(count: Count, rate: number): Count | null {
  const product = typeof count === "number" ? count * rate : Number.NaN;
  return Number.isSafeInteger(product) ? product : toCount(BigInt(count) * BigInt(rate));
}

/** The sum, or the most there is where it would be more. */
export function addCounts(a: Count, b: Count): Count {
  const sum = typeof a === "number" && typeof b === "number" ? a + b : Number.NaN;
  return Number.isSafeInteger(sum) ? sum : (toCount(BigInt(a) + BigInt(b)) ?? MAX_COUNT);
}

/** A whole number written in digits; null where it is none, or 2^63 or more. */
export function readCount(text: string): Count | null {
  if (text.length === 0 || text.length > 19) return null;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (c < 48 || c > 57) return null;
  }
  return text.length < 16 ? Number(text) : toCount(BigInt(text));
}

/** The other way round. */
export const countFromJson = (count: number | string): Count => (typeof count === "string" ? BigInt(count) : count);

/** As JSON carries it: a number while every reader reads it alike, else its digits. */
export const countToJson = (count: Count | null): number | string | null =>
  typeof count === "bigint" ? count.toString() : count;
