import type { RecordJson, RecordPage } from "@halvik/contract/records";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { query, recordsPage, type WindowParts } from "../../data/api";

const PAGE = 200;
/** Lines kept while live: the newest; older ones are a scroll away in history. */
const LIVE_KEEP = 2_000;

/** A page of history with the filter it answers: the lines of the one before stay until the next answer is there. */
export type HistoryPage = RecordPage & { readonly filter: string };

/** Pages of history, newest first. */
export function useHistory(window: WindowParts, filter: string | null, zone: string, live: boolean) {
  return useInfiniteQuery({
    queryKey: ["records", window.from, window.to, filter],
    queryFn: async ({ pageParam, signal }): Promise<HistoryPage> => ({
      ...(await recordsPage(window, filter ?? "", zone, pageParam, PAGE, signal)),
      filter: filter ?? "",
    }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.nextCursor,
    enabled: filter !== null && !live,
    placeholderData: (previous) => previous,
  });
}

export interface LiveLines {
  readonly records: readonly RecordJson[];
  /** Matching records that came and are not shown: beyond what a screen can follow. */
  readonly notShown: number;
  readonly waiting: number;
  readonly connected: boolean;
  /** Shows what waits. */
  catchUp(): void;
}

/** The newest matching records as they are stored. While paused, they wait and are counted. */
export function useLive(
  filter: string | null,
  zone: string,
  live: boolean,
  paused: boolean,
  start: readonly RecordJson[],
): LiveLines {
  const [records, setRecords] = useState<readonly RecordJson[]>([]);
  const [waiting, setWaiting] = useState<readonly RecordJson[]>([]);
  const [counts, setCounts] = useState({ notShown: 0, waiting: 0 });
  const [connected, setConnected] = useState(false);
  const pausedNow = useRef(paused);
  pausedNow.current = paused;
  const startNow = useRef(start);
  startNow.current = start;
  useEffect(() => {
    if (!live || filter === null) return;
    setRecords(startNow.current.slice(0, PAGE));
    setWaiting([]);
    setCounts({ notShown: 0, waiting: 0 });
    const source = new EventSource(`/api/v1/records/live${query({ filter, zone })}`);
    source.onopen = () => setConnected(true);
    source.onerror = () => setConnected(false);
    source.onmessage = (e: MessageEvent<string>) => {
      const { records: fresh, count } = JSON.parse(e.data) as { records: RecordJson[]; count: number };
      if (pausedNow.current) {
        setWaiting((old) => newestFirst(fresh, old));
        setCounts((c) => ({ notShown: c.notShown, waiting: c.waiting + count }));
      } else {
        setRecords((old) => newestFirst(fresh, old));
        setCounts((c) => ({ ...c, notShown: c.notShown + count - fresh.length }));
      }
    };
    return () => source.close();
  }, [filter, zone, live]);
  const catchUp = () => {
    setRecords((old) => newestFirst(waiting, old));
    setCounts((c) => ({ notShown: c.notShown + Math.max(0, c.waiting - waiting.length), waiting: 0 }));
    setWaiting([]);
  };
  return { records, ...counts, connected, catchUp };
}

/** Whether what was heard live stays on screen though nobody follows any more: until history has caught up with it. */
export function useLiveKept(live: boolean, answeredAtMs: number): boolean {
  const lastLiveMs = useRef<number | null>(null);
  if (live) lastLiveMs.current = Date.now();
  else if (lastLiveMs.current !== null && answeredAtMs > lastLiveMs.current) lastLiveMs.current = null;
  return !live && lastLiveMs.current !== null;
}

function newestFirst(fresh: readonly RecordJson[], old: readonly RecordJson[]): readonly RecordJson[] {
  const known = new Set(old.slice(0, 500).map((r) => r.id));
  const merged = [...fresh.filter((r) => !known.has(r.id)), ...old];
  // late ones find their place among the newest lines
  const head = merged.slice(0, 500).sort((a, b) => (a.time < b.time ? 1 : a.time > b.time ? -1 : 0));
  return [...head, ...merged.slice(500)].slice(0, LIVE_KEEP);
}
