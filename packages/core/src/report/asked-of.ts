import { bothOf, quoteIfNeeded } from "../query/filter/index.js";
import type { ReportDefinition } from "./definition.js";

/** The records a report is of, where it asks whoever runs it for a sender, a group or a site. @param of the answer; null: all */
export function filterAskedFor({ asks, filter }: Pick<ReportDefinition, "asks" | "filter">, of: string | null): string {
  if (asks === "nothing" || of === null) return filter;
  return bothOf(`${asks === "sender" ? "sender is" : `sender in ${asks}`} ${quoteIfNeeded(of)}`, filter);
}
