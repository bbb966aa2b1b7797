import { formatDuration } from "@halvik/core/base/time";

/** Within so much a clock is taken for right. */
export const CLOCK_OK_MS = 2_000;

/** How far a clock is off. @param offsetMs arrival minus device time: more than nothing means that the device's clock is behind */
export const clockWords = (offsetMs: number): string =>
  Math.abs(offsetMs) <= CLOCK_OK_MS
    ? "clock OK"
    : `${formatDuration(Math.abs(offsetMs) * 1_000)} ${offsetMs > 0 ? "behind" : "ahead"}`;
