import { readRfc3339 } from "@halvik/core/base/time";

/** An RFC 3339 time from the command line, or an error in words. */
export function readTimeOption(text: string): number {
  const time = readRfc3339(text);
  if (time === null || time.end !== text.length)
    throw new Error(`expected a time such as 2026-11-24T10:00:00Z, got "${text}"`);
  return time.us;
}
