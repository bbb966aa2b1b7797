import { useMemo } from "react";
import type { WindowParts } from "../../data/api";
import { isoOf } from "../../data/view-store";
import { type Comparison, comparedWindow } from "../../shared/compared-window";

/** The window that a window is compared with, as the API takes it; null: with none. */
export function useComparedWindow(
  comparison: Comparison | null,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  zone: string,
): WindowParts | null {
  return useMemo(() => {
    if (comparison === null) return null;
    const other = comparedWindow(comparison, { fromUs, toUs }, zone);
    return { from: isoOf(other.fromUs), to: isoOf(other.toUs) };
  }, [comparison, fromUs, toUs, zone]);
}
