import { lastFilter } from "../data/last-filter";
import { windowParams } from "../data/window-url";

/** The sections, in order, with the key that follows `g`. */
export const SECTIONS = [
  { name: "Now", path: "/now", key: "n" },
  { name: "Records", path: "/records", key: "r" },
  { name: "Incidents", path: "/incidents", key: "i" },
  { name: "Investigations", path: "/investigations", key: "v" },
  { name: "Traffic", path: "/traffic", key: "t" },
  { name: "Reports", path: "/reports", key: "p" },
  { name: "Rules", path: "/rules", key: "u" },
  { name: "Intake", path: "/intake", key: "k" },
] as const;

/** The address of what was different in a window. @param window as an address says it */
export function changedSearch(window: URLSearchParams): string {
  window.set("view", "changed");
  return window.toString();
}

/** What goes along to a section: the window everywhere, to Records the filter it was left with. */
export function searchOf(path: string): string {
  const params = new URLSearchParams(windowParams());
  if (path === "/records" && lastFilter() !== "") params.set("filter", lastFilter());
  return params.toString();
}
