import type { RecordJson } from "@halvik/contract/records";
import { useQueries } from "@tanstack/react-query";
import { useCallback } from "react";
import { recordQuery } from "../../data/api";
import { addressed, listOf, type SetParam } from "../../shared/use-address";

const MOST_COMPARED = 4;

/** The line that is looked at, and those marked to be compared; both stand in the address. */
export function useSelection(params: URLSearchParams, records: readonly RecordJson[], setParam: SetParam) {
  const selectedId = params.get("record");
  const marked = listOf(params.get("marked"));
  const shown = (id: string) => records.find((r) => r.id === id);
  // marked among those of another filter, or window: any two can be compared
  const elsewhere = useQueries({
    queries: marked.filter((id) => shown(id) === undefined).map(recordQuery),
    combine: (results) => results.flatMap(({ data }) => data?.record ?? []),
  });
  const select = useCallback((record: RecordJson) => setParam({ record: record.id }), [setParam]);
  return {
    selectedId,
    selected: selectedId === null ? undefined : shown(selectedId),
    marked,
    compared: marked.flatMap((id) => shown(id) ?? elsewhere.find((r) => r.id === id) ?? []),
    select,
    /** To the line so many further on; from none to the first. */
    move: (by: number) => {
      const at = records.findIndex((r) => r.id === addressed("record"));
      const next = records[at < 0 ? 0 : Math.min(Math.max(at + by, 0), records.length - 1)];
      if (next) select(next);
    },
    /** Marks the line that is looked at, or takes its mark away. */
    mark: () => {
      const id = addressed("record");
      if (id === null) return;
      const before = listOf(addressed("marked"));
      const next = before.includes(id) ? before.filter((m) => m !== id) : [...before, id].slice(-MOST_COMPARED);
      setParam({ marked: next.join(",") });
    },
  };
}
