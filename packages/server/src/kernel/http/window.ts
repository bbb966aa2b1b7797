import { readRfc3339, US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { AppError } from "./errors.js";

export interface Window {
  readonly fromUs: number;
  readonly toUs: number;
}

/**
 * A window from a request: [from, to).
 * @param fallback what is meant where the request names no end; without it the last 24 hours, or those before the end it names
 */
export function readWindow(
  query: { readonly from?: string | undefined; readonly to?: string | undefined },
  nowUs: number,
  fallback: { readonly fromUs?: number; readonly toUs?: number } = {},
): Window {
  // a minute of grace, so that records stamped a little ahead are not hidden
  const toUs = query.to === undefined ? (fallback.toUs ?? nowUs + US_PER_MINUTE) : readTime("to", query.to);
  const fromUs = query.from === undefined ? (fallback.fromUs ?? toUs - US_PER_DAY) : readTime("from", query.from);
  if (query.from !== undefined && fromUs >= toUs)
    throw new AppError("BAD_TIME", "from: expected a time before “to”", { field: "from" });
  return { fromUs, toUs };
}

/** A moment as a request writes it. @param field where it stands @throws {AppError} BAD_TIME */
export function readTime(field: string, text: string): number {
  const time = readRfc3339(text);
  if (time === null || time.end !== text.length || time.offsetMinutes === null)
    throw new AppError(
      "BAD_TIME",
      `${field}: expected RFC 3339 with a zone, such as 2026-11-24T10:00:00Z, got "${text}"`,
      { field },
    );
  return time.us;
}
