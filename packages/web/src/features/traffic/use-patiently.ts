import type { TrafficAnswer } from "@halvik/contract";
import { type UseQueryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";

/** Seconds the first look at flows may take, and a second one where that did not reach the beginning of the window. */
const FIRST_S = 0.8;
const SECOND_S = 14;

/**
 * Asks twice where the flows themselves are gone through: what is newest is there at once, the rest when it is found.
 * @param what changes with what is asked: a search that was stopped is not gone on with
 */
export function usePatiently<T extends { readonly asked: TrafficAnswer["asked"] }>(
  what: string,
  // biome-ignore lint/suspicious/noExplicitAny: as above
  ask: (patience: number) => UseQueryOptions<T, Error, T, any>,
) {
  const [stopped, setStopped] = useState<string | null>(null);
  const first = useQuery(ask(FIRST_S));
  const goesOn = first.data !== undefined && first.data.asked.reached !== null && stopped !== what;
  const second = useQuery({ ...ask(SECOND_S), enabled: goesOn && !first.isPlaceholderData });
  const found = goesOn && !second.isPlaceholderData ? second.data : undefined;
  return {
    data: found ?? first.data,
    error: first.error ?? second.error,
    /** More is being looked through. */
    isLooking: goesOn && second.isFetching,
    stop: () => setStopped(what),
  };
}
