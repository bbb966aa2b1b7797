import { useCallback } from "react";
import { useSearchParams } from "react-router";

/** Names in a list of the address. */
export const listOf = (text: string | null): string[] => (text ?? "").split(",").filter((v) => v !== "");

/** What the address says now, whether rendered yet or not. */
export const addressed = (name: string): string | null => new URLSearchParams(location.search).get(name);

export type SetParam = (changes: Readonly<Record<string, string | null>>) => void;

/** What of a page stands in its address, and how to change it; null or empty takes it out. */
export function useAddress(): readonly [params: URLSearchParams, setParam: SetParam] {
  const [params, setParams] = useSearchParams();
  const setParam = useCallback<SetParam>(
    (changes) => {
      // the address itself, not the last rendering's: keys may come faster than pages
      const next = new URLSearchParams(location.search);
      for (const [name, value] of Object.entries(changes)) {
        if (value === null || value === "") next.delete(name);
        else next.set(name, value);
      }
      // going back must not lead to where one is
      if (next.toString() !== new URLSearchParams(location.search).toString()) setParams(next);
    },
    [setParams],
  );
  return [params, setParam];
}
