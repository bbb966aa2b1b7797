import { useQuery } from "@tanstack/react-query";
import { savedFiltersQuery } from "../../data/api";
import { useDirectory } from "../../data/use-directory";
import { useFieldValues } from "../../data/use-field-values";
import { useWindow } from "../../data/use-window";
import { useViewStore } from "../../data/view-store";
import type { FilterHelp } from "./picker";

const NO_FILTERS: FilterHelp["saved"] = [];

/** What filters in a rule are written with. */
export function useFilterHelp(): FilterHelp {
  const zone = useViewStore((s) => s.zone);
  const directory = useDirectory();
  const valuesOf = useFieldValues(useWindow(), zone);
  const saved = useQuery(savedFiltersQuery).data?.filters ?? NO_FILTERS;
  return { directory, zone, saved, valuesOf };
}
