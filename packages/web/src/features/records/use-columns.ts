import type { RecordJson } from "@halvik/contract/records";
import { useCallback, useEffect, useMemo } from "react";
import { addressed, type SetParam } from "../../shared/use-address";
import { type ChosenColumn, readColumns, rememberColumns, rememberedColumns, writeColumns } from "./columns";
import { columnsOf, isColumn, usualColumns } from "./list-columns";

/**
 * The columns of the list: those chosen in the address, or what is usual for the kind of record.
 * @param kind the one the filter matches
 */
export function useColumns(
  chosen: string | null,
  kind: string | null,
  records: readonly RecordJson[],
  setParam: SetParam,
) {
  // while the answer to a new filter is on its way, the lines are still those of the one before
  const shownKind = records.every((r) => r.kind === kind) ? kind : null;
  const columns = useMemo(() => readColumns(chosen, isColumn) ?? usualColumns(shownKind), [chosen, shownKind]);
  const drawn = useMemo(() => columnsOf(columns), [columns]);
  const setColumns = useCallback(
    (next: readonly ChosenColumn[] | null) => {
      const text = next === null ? null : writeColumns(next);
      rememberColumns(kind, text);
      setParam({ columns: text });
    },
    [kind, setParam],
  );
  const setWidth = useCallback(
    (name: string, width: number | null) => setColumns(columns.map((c) => (c.name === name ? { name, width } : c))),
    [columns, setColumns],
  );
  useEffect(() => {
    // what was chosen before on this machine; in the address, so that a link carries it
    const remembered = rememberedColumns(kind);
    if (addressed("columns") === null && remembered !== null) setParam({ columns: remembered });
  }, [kind, setParam]);
  return { columns, drawn, setColumns, setWidth };
}
