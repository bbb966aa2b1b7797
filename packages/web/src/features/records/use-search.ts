import { useCallback, useEffect, useMemo, useState } from "react";
import type { WindowParts } from "../../data/api";
import { useHistory } from "./use-records";

/** Lines after which a search that takes long waits to be told to go on. */
const ENOUGH = 100;

/** Pages of records of a window, as far as they are read; a search that runs out of time goes on until there is a page to read. */
export function useSearch(window: WindowParts, asked: string | null, zone: string, live: boolean) {
  const history = useHistory(window, asked, zone, live);
  const loaded = useMemo(() => history.data?.pages.flatMap((p) => p.records) ?? [], [history.data]);
  const newestPage = history.data?.pages[history.data.pages.length - 1];
  const lastPage = newestPage?.filter === asked ? newestPage : undefined;
  const key = `${window.from} ${window.to} ${asked}`;
  const [stoppedKey, setStoppedKey] = useState("");
  const goesOn = !live && lastPage?.partial === true && loaded.length < ENOUGH && stoppedKey !== key;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = history;
  const readOn = useCallback(() => {
    if (!live && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [live, hasNextPage, isFetchingNextPage, fetchNextPage]);
  useEffect(() => {
    if (goesOn) readOn();
  }, [goesOn, readOn]);
  return {
    loaded,
    lastPage,
    error: live ? null : history.error,
    /** Nothing has been answered yet, to this filter or another. */
    isPending: history.isPending,
    /** This filter has its answer. */
    isAnswered: history.data !== undefined && !history.isPlaceholderData,
    answeredAt: history.isPlaceholderData ? 0 : history.dataUpdatedAt,
    /** The answer is on its way, and the lines are those of the filter before. */
    ofFilterBefore: !live && asked !== null && newestPage !== undefined && lastPage === undefined,
    goesOn,
    /** All that matches in the window is loaded. */
    isComplete: lastPage !== undefined && !hasNextPage,
    readOn,
    stop: () => setStoppedKey(key),
    searchOn: () => {
      setStoppedKey("");
      void fetchNextPage();
    },
  };
}
