const HOUR_US = 3_600_000_000;

/** For how long incidents are shelved, in words. */
export const SHELF = [
  ["for an hour", HOUR_US],
  ["for four hours", 4 * HOUR_US],
  ["for a day", 24 * HOUR_US],
  ["for a week", 7 * 24 * HOUR_US],
] as const;
