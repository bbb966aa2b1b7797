import { useMemo } from "react";
import type { WindowParts } from "./api";
import { bounds, isoOf, useViewStore } from "./view-store";

const STEP_US = 5_000_000;

/**
 * The window as the API takes it. One that follows the clock ends at the next five seconds, so that queries repeat.
 * @param stepUs for what takes longer to answer, or says nothing new so often
 */
export function useWindow(stepUs = STEP_US): WindowParts & { fromUs: number; toUs: number; following: boolean } {
  const window = useViewStore((s) => s.window);
  const nowUs = useViewStore((s) => Math.ceil(s.nowUs / stepUs) * stepUs);
  return useMemo(() => {
    const { fromUs, toUs } = bounds(window, nowUs);
    return { fromUs, toUs, from: isoOf(fromUs), to: isoOf(toUs), following: window.endUs === null };
  }, [window, nowUs]);
}
