import { formatUs } from "@halvik/core/base/time";
import { type Filter, timeBounds } from "@halvik/core/query/filter";
import { readWindow } from "../../kernel/http/window.js";

interface Window {
  readonly fromUs: number;
  readonly toUs: number;
}

/**
 * What is searched (`docs/semantics.md` 19): the window asked for, within the times that the filter names. Where none is asked for, the filter
 * decides; without a time in it the last 24 hours.
 */
export function searchedWindow(
  query: { readonly from?: string | undefined; readonly to?: string | undefined },
  filter: Filter,
  nowUs: number,
): Window {
  const named = timeBounds(filter, nowUs);
  const asked = readWindow(
    {
      from: query.from ?? textOf(named.fromUs),
      to: query.to ?? (query.from === undefined ? textOf(named.toUs) : undefined),
    },
    nowUs,
  );
  const fromUs = Math.max(asked.fromUs, named.fromUs);
  return { fromUs, toUs: Math.max(fromUs, Math.min(asked.toUs, named.toUs)) };
}

const textOf = (us: number): string | undefined => (Number.isFinite(us) ? formatUs(us) : undefined);

/** The same, as an answer says it. */
export const windowJson = ({ fromUs, toUs }: Window): { from: string; to: string } => ({
  from: formatUs(fromUs),
  to: formatUs(toUs),
});
