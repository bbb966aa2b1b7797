import { formatUs, US_PER_MINUTE } from "@halvik/core/base/time";
import { type Filter, timeBounds } from "@halvik/core/query/filter";
import { readWindow, type Window } from "../../kernel/http/window.js";

/**
 * What is searched (`docs/semantics.md` 19): the window asked for, within the times that the filter names. Where none is asked for, the filter
 * decides; without a time in it the last 24 hours. Times that exclude each other leave nothing: `fromUs` is `toUs` then.
 */
export function searchedWindow(
  query: { readonly from?: string | undefined; readonly to?: string | undefined },
  filter: Filter,
  nowUs: number,
): Window {
  const named = timeBounds(filter, nowUs);
  const asked = readWindow(query, nowUs, {
    ...(query.from === undefined ? { toUs: Math.min(named.toUs, nowUs + US_PER_MINUTE) } : {}),
    ...(Number.isFinite(named.fromUs) ? { fromUs: named.fromUs } : {}),
  });
  const fromUs = Math.max(asked.fromUs, named.fromUs);
  return { fromUs, toUs: Math.max(fromUs, Math.min(asked.toUs, named.toUs)) };
}

/** The same, as an answer says it. */
export const windowJson = ({ fromUs, toUs }: Window): { from: string; to: string } => ({
  from: formatUs(fromUs),
  to: formatUs(toUs),
});
