import { readRfc3339, US_PER_DAY } from "@halvik/core/base/time";
import { AppError } from "./errors.js";

/** A window from a request: [from, to), by default the last 24 hours. */
export function readWindow(
  query: { from?: string | undefined; to?: string | undefined },
  nowUs: number,
): { fromUs: number; toUs: number } {
  // a minute of grace, so that records stamped a little ahead are not hidden
  const toUs = query.to === undefined ? nowUs + 60_000_000 : readTime("to", query.to);
  const fromUs = query.from === undefined ? toUs - US_PER_DAY : readTime("from", query.from);
  if (fromUs >= toUs) throw new AppError("BAD_TIME", "from: expected a time before “to”", { field: "from" });
  return { fromUs, toUs };
}

function readTime(field: string, text: string): number {
  const time = readRfc3339(text);
  if (time === null || time.end !== text.length || time.offsetMinutes === null)
    throw new AppError(
      "BAD_TIME",
      `${field}: expected RFC 3339 with a zone, such as 2026-11-24T10:00:00Z, got "${text}"`,
      { field },
    );
  return time.us;
}
