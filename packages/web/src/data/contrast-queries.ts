import type { ContrastAnswer } from "@halvik/contract/contrast";
import type { ComparedPer } from "@halvik/core/contrast";
import { queryOptions } from "@tanstack/react-query";
import { query, request, type WindowParts } from "./api";

/** What a window is compared with: others, or the records of another filter in the same one. */
export type Against = { readonly windows: readonly WindowParts[] } | { readonly other: string };

export const contrastQuery = (
  window: WindowParts,
  filter: string,
  zone: string,
  against: Against,
  per: ComparedPer,
  by: readonly string[],
) =>
  queryOptions({
    queryKey: ["contrast", window.from, window.to, filter, against, per, by],
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
  });
