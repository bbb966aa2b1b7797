import { daysEarlier } from "@halvik/core/base/time";
import type { WindowParts } from "../../../data/api";
import { isoOf } from "../../../data/view-store";
import { COMPARISONS, type Comparison, comparedWindow } from "../../../shared/compared-window";

const WEEKS = { name: "weeks", label: "the same time of the four weeks before" } as const;
/** The records of another filter in the same window. */
const OTHER = { name: "other", label: "the records of another filter" } as const;
/** What a window is held against, by the name it has in addresses. */
export const CONTRASTED = [...COMPARISONS, WEEKS, OTHER] as const;
export type Contrasted = (typeof CONTRASTED)[number]["name"];

export const readContrasted = (text: string | null): Contrasted =>
  CONTRASTED.find((c) => c.name === text)?.name ?? "before";

/** The windows that another is held against. */
export function contrastedWindows(
  name: Comparison | "weeks",
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  zone: string,
): readonly WindowParts[] {
  const windows =
    name === "weeks"
      ? [1, 2, 3, 4].map((n) => ({ fromUs: daysEarlier(fromUs, zone, 7 * n), toUs: daysEarlier(toUs, zone, 7 * n) }))
      : [comparedWindow(name, { fromUs, toUs }, zone)];
  return windows.map((w) => ({ from: isoOf(w.fromUs), to: isoOf(w.toUs) }));
}
