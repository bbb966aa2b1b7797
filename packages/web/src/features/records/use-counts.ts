import type { HistogramAnswer } from "@halvik/contract/records";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { histogramQuery, query, request, type WindowParts } from "../../data/api";

const BUCKETS = 60;

export interface Counts {
  readonly answer: HistogramAnswer | undefined;
  /** Goes on where counting ended for want of time; null when there is no more to count, or no way on. */
  readonly countOn: (() => void) | null;
}

/** How many records match in the window; counted on, on request, where one answer did not get to the end. */
export function useCounts(window: WindowParts, filter: string | null, zone: string, enabled: boolean): Counts {
  const asked = histogramQuery(window, BUCKETS, filter ?? "", zone, "window", false);
  const first = useQuery({
    ...asked,
    // the count before may stand in while the window moves, never for another filter
    placeholderData: (previous, before) => (before?.queryKey[4] === asked.queryKey[4] ? previous : undefined),
    enabled: enabled && filter !== null,
  });
  const key = `${window.from} ${window.to} ${filter}`;
  const [more, setMore] = useState<{ key: string; answer: HistogramAnswer } | null>(null);
  const answer = more?.key === key ? more.answer : first.data;
  const countOn = useCallback(async () => {
    if (!answer) return;
    const before = await request<HistogramAnswer>(
      "GET",
      `/records/histogram${query({ from: window.from, to: answer.coveredFrom, buckets: BUCKETS, filter: filter ?? "", zone })}`,
    );
    setMore({ key, answer: joined(before, answer) });
  }, [answer, filter, key, window.from, zone]);
  const canGoOn = answer !== undefined && !answer.exact && answer.coveredFrom < window.to;
  return { answer, countOn: canGoOn ? () => void countOn() : null };
}

/** Two stretches of counting as one: what the later one covered in part is counted by the earlier. */
function joined(before: HistogramAnswer, after: HistogramAnswer): HistogramAnswer {
  const buckets = [...before.buckets, ...after.buckets.filter((b) => b.from >= after.coveredFrom)];
  return {
    ...after,
    buckets,
    total: buckets.reduce((sum, b) => sum + b.count, 0),
    exact: before.exact,
    coveredFrom: before.coveredFrom,
  };
}
