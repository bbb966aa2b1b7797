import { type Filter, timeBounds } from "@halvik/core/query/filter";
import { bounds, type Stretch } from "../../data/view-store";

/** A window that follows the clock ends a little ahead of it: that much is no difference. */
const SLACK_US = 60_000_000;

/**
 * The window that a filter's own times ask for (`docs/semantics.md` 19).
 * @param now the window as it is: where the filter says only one end, its span or its other end stays
 * @returns null when the filter names no time that binds all of it, or times that exclude each other
 */
export function windowOf(filter: Filter, now: Stretch, nowUs: number): Stretch | null {
  const { fromUs, toUs } = timeBounds(filter, nowUs);
  const begins = Number.isFinite(fromUs);
  const ends = Number.isFinite(toUs) && toUs < nowUs;
  if (fromUs >= Math.min(toUs, nowUs)) return null;
  if (!begins) return ends ? { spanUs: now.spanUs, endUs: toUs } : null;
  return ends ? { spanUs: toUs - fromUs, endUs: toUs } : { spanUs: nowUs - fromUs, endUs: null };
}

/** Whether a window cuts off some of what the filter's own times ask for. */
export function isCutBy(window: Stretch, filter: Filter, nowUs: number): boolean {
  const wanted = windowOf(filter, window, nowUs);
  if (wanted === null) return false;
  const has = bounds(window, nowUs);
  const wants = bounds(wanted, nowUs);
  const begins = Number.isFinite(timeBounds(filter, nowUs).fromUs);
  return (begins && has.fromUs > wants.fromUs + SLACK_US) || has.toUs < wants.toUs - SLACK_US;
}
