import { useEffect } from "react";
import { useNavigation, useSearchParams } from "react-router";
import { isoOf, type Stretch, useViewStore, usOf } from "./view-store";

const FOLLOWING = /^(\d{1,9})s$/;

/** Keeps the window in the address: `?last=21600s` follows the clock, `?from=…&to=…` stands still. Links restore it. */
export function useWindowInUrl(): void {
  const [params, setParams] = useSearchParams();
  const navigating = useNavigation().state !== "idle";
  const window = useViewStore((s) => s.window);
  const setWindow = useViewStore((s) => s.setWindow);
  useEffect(() => {
    const given = fromParams(params);
    if (given) setWindow(given);
  }, []);
  useEffect(() => {
    // a page on its way keeps its turn: writing the address now would call it back
    if (navigating) return;
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        for (const name of ["last", "from", "to"]) next.delete(name);
        if (window.endUs === null) next.set("last", `${Math.round(window.spanUs / 1e6)}s`);
        else {
          next.set("from", isoOf(window.endUs - window.spanUs));
          next.set("to", isoOf(window.endUs));
        }
        return next;
      },
      { replace: true },
    );
  }, [window, setParams, navigating]);
}

function fromParams(params: URLSearchParams): Stretch | null {
  const following = FOLLOWING.exec(params.get("last") ?? "");
  if (following) return { spanUs: Number(following[1]) * 1e6, endUs: null };
  const from = usOf(params.get("from") ?? "");
  const to = usOf(params.get("to") ?? "");
  return Number.isFinite(from) && Number.isFinite(to) && from < to ? { spanUs: to - from, endUs: to } : null;
}
