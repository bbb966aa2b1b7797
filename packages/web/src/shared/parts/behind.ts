import type { Measured, PartAnswer } from "@halvik/contract/reports";
import { isOwn, type OwnSource } from "@halvik/core/query/measure";

/** Where the entries of an own source stand. */
const PAGES: Readonly<Record<OwnSource, string>> = {
  incidents: "/incidents",
  findings: "/incidents",
  notifications: "/notify",
  audit: "/notify",
  "arrival rules": "/intake/arrival",
  intake: "/intake",
  senders: "/intake",
  store: "/intake/plan",
  traffic: "/traffic",
};

/** The page behind a measure: its records in the window it was made over, or where what it counts stands. */
export function behind(m: Measured, window: PartAnswer["window"], filter = m.filter): string {
  // rows of traffic are found by their filter, as those of records are
  if (isOwn(m.asked) && filter === "") return PAGES[m.asked.source];
  return `/records?${new URLSearchParams({ filter, from: window.from, to: window.to })}`;
}
