import { useCallback } from "react";
import { queryClient, valuesQuery, type WindowParts } from "./api";

const OFFERED = 200;

/** Values of a field in a window, the most frequent first, to be offered where a filter is written. */
export function useFieldValues(window: Pick<WindowParts, "from" | "to">, zone: string) {
  const { from, to } = window;
  return useCallback(
    async (field: string) => {
      try {
        return (
          await queryClient.fetchQuery({ ...valuesQuery({ from, to }, "", zone, field, OFFERED), staleTime: 60_000 })
        ).values;
      } catch {
        // a field whose values are not counted has none to offer
        return [];
      }
    },
    [from, to, zone],
  );
}
