import type { ValuesAsked } from "@halvik/core/query/filter";
import { useCallback } from "react";
import { queryClient, valuesQuery, type WindowParts } from "./api";
import { dataFieldsQuery } from "./reading-queries";
import { isoOf, usOf } from "./view-store";

const OFFERED = 200;
const OFFERED_OF_US = 86_400e6;

/** A filter was applied: what was to be offered meanwhile is not waited for, and the server is free for what was asked. */
export const stopOffering = (): void =>
  void queryClient.cancelQueries({
    predicate: ({ queryKey }) => (queryKey[0] === "values" && queryKey[5] === OFFERED) || queryKey[0] === "data fields",
  });

/** What may stand in a filter, and in a few words what is known of it. */
export interface Offered {
  readonly label: string;
  readonly about: string;
}

/** What of the store may stand in a filter: values of a field, names of `data`. */
export type Offers = (asked: ValuesAsked) => Promise<readonly Offered[]>;

/**
 * Values of a field to be offered where a filter is written, the most frequent of the window's newest day first: they are a help, and
 * may not hold up the search that is written with it.
 */
export function useFieldValues(window: Pick<WindowParts, "from" | "to">, zone: string): Offers {
  const { to } = window;
  const from = isoOf(Math.max(usOf(window.from), usOf(to) - OFFERED_OF_US));
  return useCallback(
    async ({ field, name }) => {
      const day = { from, to };
      try {
        if (field === "data" && name === undefined) {
          const { fields, looked } = await queryClient.fetchQuery(dataFieldsQuery(day, "", zone));
          return fields.map((f) => ({
            label: f.name,
            about: `${f.type}, in ${f.records.toLocaleString("en")} of the newest ${looked.toLocaleString("en")}`,
          }));
        }
        const asked = valuesQuery(day, "", zone, field, OFFERED, { by: "records" }, name);
        const { values } = await queryClient.fetchQuery({ ...asked, staleTime: 60_000 });
        return values.map((v) => ({ label: v.label, about: `${v.count.toLocaleString("en")} of late` }));
      } catch {
        // a field whose values are not counted has none to offer
        return [];
      }
    },
    [from, to, zone],
  );
}
