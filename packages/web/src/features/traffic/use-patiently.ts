import { type UseQueryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";

/** Seconds the first look at flows may take, and a second one where that did not reach the beginning of the window. */
const FIRST_S = 0.8;
const SECOND_S = 14;

/**
 * Asks twice where the flows themselves are gone through: what is newest is there at once, the rest when it is found.
 * @param what changes with what is asked: a search that was stopped is not gone on with
 * @param reachedOf from when on all was looked at; null: nothing is missing
 */
export function usePatiently<T>(
  what: string,
  // biome-ignore lint/suspicious/noExplicitAny: the keys of the two questions are of no interest here
  ask: (patience: number) => UseQueryOptions<T, Error, T, any>,
  reachedOf: (answer: T) => string | null,
) {
  const [stopped, setStopped] = useState<string | null>(null);
  const first = useQuery(ask(FIRST_S));
  const goesOn = first.data !== undefined && reachedOf(first.data) !== null && stopped !== what;
  const second = useQuery({ ...ask(SECOND_S), enabled: goesOn && !first.isPlaceholderData });
  const found = goesOn && !second.isPlaceholderData ? second.data : undefined;
  return {
    data: found ?? first.data,
    error: first.error ?? second.error,
    /** What is shown was asked before; the answer to this is on its way. */
    isOld: first.isPlaceholderData,
    /** More is being looked through. */
    isLooking: goesOn && second.isFetching,
    stop: () => setStopped(what),
  };
}
