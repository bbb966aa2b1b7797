import { daysEarlier } from "@halvik/core/base/time";

/** Windows a window is compared with, by the name they have in addresses. */
export const COMPARISONS = [
  { name: "before", label: "the period before" },
  { name: "day", label: "the same time yesterday" },
  { name: "week", label: "the same time last week" },
] as const;
export type Comparison = (typeof COMPARISONS)[number]["name"];

export const readComparison = (text: string | null): Comparison | null =>
  COMPARISONS.find((c) => c.name === text)?.name ?? null;

export const comparisonLabel = (comparison: Comparison): string =>
  COMPARISONS.find((c) => c.name === comparison)!.label;

/** The window that another is compared with. Days go by the clock of the zone: the same time of day, also over a change to summer time. */
export function comparedWindow(
  comparison: Comparison,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  zone: string,
): { readonly fromUs: number; readonly toUs: number } {
  if (comparison === "before") return { fromUs: 2 * fromUs - toUs, toUs: fromUs };
  const days = comparison === "day" ? 1 : 7;
  return { fromUs: daysEarlier(fromUs, zone, days), toUs: daysEarlier(toUs, zone, days) };
}

/** How a count differs from the one it is compared with: `+12`, `−3`, `new`; empty: not at all. */
export function difference(now: number, before: number): string {
  if (now === before) return "";
  if (before === 0) return "new";
  return now > before ? `+${(now - before).toLocaleString("en")}` : `−${(before - now).toLocaleString("en")}`;
}
