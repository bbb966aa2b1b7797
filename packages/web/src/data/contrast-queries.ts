import type { ContrastAnswer } from "@halvik/contract/contrast";
import type { ComparedPer } from "@halvik/core/contrast";
import { queryOptions } from "@tanstack/react-query";
import { query, request, type WindowParts } from "./api";
import { usOf } from "./view-store";

/** What a window is compared with: others, or the records of another filter in the same one. */
export type Against = { readonly windows: readonly WindowParts[] } | { readonly other: string };

/** How far a window moves with the clock at once, and a moment more. */
const MOVED_US = 120_000_000;

export const contrastQuery = (
  window: WindowParts,
  filter: string,
  zone: string,
  against: Against,
  per: ComparedPer,
  by: readonly string[],
) => {
  const toUs = usOf(window.to);
  const sides = "other" in against ? against : against.windows.map((w) => [usOf(w.from) - toUs, usOf(w.to) - toUs]);
  // all of the question but where the window is
  const question = JSON.stringify([filter, per, by, sides, toUs - usOf(window.from)]);
  return queryOptions({
    queryKey: ["contrast", question, toUs] as const,
    queryFn: ({ signal }) =>
      request<ContrastAnswer>(
        "GET",
        `/contrast${query({
          from: window.from,
          to: window.to,
          filter,
          zone,
          per,
          by: by.join(","),
          ...("other" in against
            ? { other: against.other }
            : { against: against.windows.map((w) => `${w.from}/${w.to}`).join(",") }),
        })}`,
        undefined,
        signal,
      ),
    staleTime: 60_000,
    // while the window goes with the clock, what it was a minute ago
    placeholderData: (previous, before) =>
      before?.queryKey[1] === question && Math.abs(before.queryKey[2] - toUs) < MOVED_US ? previous : undefined,
  });
};
