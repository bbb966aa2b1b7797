import type { Measured, PartAnswer } from "@halvik/contract/reports";
import type { OwnSource } from "@halvik/core/query/measure";

/** Where the entries of an own source stand. */
const PAGES: Readonly<Record<OwnSource, string>> = {
  incidents: "/incidents",
  findings: "/incidents",
  notifications: "/notify",
  audit: "/notify",
  "arrival rules": "/intake/arrival",
  senders: "/intake",
  store: "/intake/plan",
};

/** The page behind a measure: its records in the window it was made over, or where what it counts stands. */
export function behind(m: Measured, window: PartAnswer["window"], filter = m.filter): string {
  if (m.asked.source !== undefined && m.asked.source !== "records") return PAGES[m.asked.source];
  return `/records?${new URLSearchParams({ filter, from: window.from, to: window.to })}`;
}
