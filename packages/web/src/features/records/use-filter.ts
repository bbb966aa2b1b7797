import { type Filter, type ParseContext, parseFilter, type SavedText } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState } from "react";
import { savedFiltersQuery } from "../../data/api";
import { keepLastFilter } from "../../data/last-filter";
import { rememberFilter } from "../../data/recent-filters";
import { useDirectory } from "../../data/use-directory";
import { stopOffering } from "../../data/use-field-values";
import { useViewStore } from "../../data/view-store";
import { addressOf } from "../../data/window-url";
import type { SetParam } from "../../shared/use-address";
import { windowOf } from "./filter-time";
import { onlyKind } from "./list-columns";

const NO_FILTERS: readonly SavedText[] = [];

/** The filter of the address and the one being written: the second becomes the first when it is submitted and can be read. */
export function useFilter(filter: string, zone: string, setParam: SetParam) {
  const [draft, setDraft] = useState(filter);
  useEffect(() => keepLastFilter(filter), [filter]);
  const directory = useDirectory();
  const saved = useQuery(savedFiltersQuery).data?.filters ?? NO_FILTERS;
  // names are checked once the senders are known
  const context = useMemo<ParseContext>(
    () => (directory === null ? { zone, saved, allowsAfter: true } : { zone, saved, directory, allowsAfter: true }),
    [directory, saved, zone],
  );
  const parsed = useMemo(() => parseFilter(draft, context), [draft, context]);
  const applied = useMemo(() => parseFilter(filter, { zone, saved, allowsAfter: true }), [filter, zone, saved]);
  const kind = applied.ok ? onlyKind(applied.filter) : null;
  const submit = useCallback(
    (text: string) => {
      setDraft(text);
      const next = parseFilter(text, { zone, saved, allowsAfter: true });
      if (!next.ok) return;
      rememberFilter(text.trim());
      stopOffering();
      const { window, nowUs } = useViewStore.getState();
      const wanted = windowOf(next.filter, window, nowUs);
      setParam({
        filter: text.trim(),
        // another kind of record has columns of its own
        ...(isOfKind(next.filter, kind) ? {} : { columns: null }),
        // a time in the filter is where the page looks; in one step with it, so that going back undoes both
        ...(wanted === null ? {} : addressOf(wanted)),
      });
    },
    [setParam, zone, saved, kind],
  );
  // state and no ref: a rendering that is given up for a more urgent one must leave nothing behind, or what was typed is lost
  const [lastFilter, setLastFilter] = useState(filter);
  if (lastFilter !== filter) {
    // another filter came by the address: a link, back and forward
    setLastFilter(filter);
    if (draft.trim() !== filter) setDraft(filter);
  }
  const add = useCallback(
    (part: string) =>
      submit(filter === "" ? part : / or /.test(filter) ? `(${filter}) and ${part}` : `${filter} and ${part}`),
    [filter, submit],
  );
  return {
    draft,
    setDraft,
    submit,
    /** Asks for a part more. */
    add,
    parsed,
    /** What is asked of the server; null: the address holds what cannot be read. */
    asked: applied.ok ? filter : null,
    /** The filter of the address as it is understood; null: it cannot be read. */
    applied: applied.ok ? applied.filter : null,
    /** The one kind of record it matches, if there is one. */
    kind,
    context,
    directory,
    saved,
  };
}
export type FilterState = ReturnType<typeof useFilter>;

const isOfKind = (filter: Filter, kind: string | null): boolean => onlyKind(filter) === kind;
