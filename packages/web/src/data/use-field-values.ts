import { useCallback } from "react";
import { queryClient, valuesQuery, type WindowParts } from "./api";
import { isoOf, usOf } from "./view-store";

const OFFERED = 200;
const OFFERED_OF_US = 86_400e6;

/** A filter was applied: what was to be offered meanwhile is not waited for, and the server is free for what was asked. */
export const stopOffering = (): void =>
  void queryClient.cancelQueries({ predicate: ({ queryKey }) => queryKey[0] === "values" && queryKey[5] === OFFERED });

/**
 * Values of a field to be offered where a filter is written, the most frequent of the window's newest day first: they are a help, and
 * may not hold up the search that is written with it.
 */
export function useFieldValues(window: Pick<WindowParts, "from" | "to">, zone: string) {
  const { to } = window;
  const from = isoOf(Math.max(usOf(window.from), usOf(to) - OFFERED_OF_US));
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
