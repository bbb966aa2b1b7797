import type { CloseReason } from "./life-cycle.js";

/** What can happen to an incident, as its history keeps it, and what a person reads. */
export const HISTORY_WORDS = {
  raised: "raised",
  returned: "returned",
  joined: "joined",
  "took-in": "took in",
  worse: "worse",
  named: "named",
  explains: "explains",
  explained: "explained",
  outlasts: "outlasts its cause",
  "goes-on": "goes on",
  amended: "amended",
  "still-lasts": "still lasts",
  "new-since-seen": "new since seen",
  cleared: "cleared",
  acknowledged: "acknowledged",
  note: "note",
  assigned: "assigned",
  techniques: "techniques",
  shelved: "shelved",
  unshelved: "taken from the shelf",
  "task-added": "task added",
  "task-done": "task done",
  "task-reopened": "task open again",
  merged: "merged",
  split: "split",
  linked: "linked",
  unlinked: "link removed",
  closed: "closed",
  undone: "undone",
} as const;

export type HistoryCode = keyof typeof HISTORY_WORDS;
export const HISTORY_CODES = Object.keys(HISTORY_WORDS) as [HistoryCode, ...HistoryCode[]];

/** A line of the history in words. @param reason of a closing */
export const historyWords = (code: HistoryCode, reason: CloseReason | null): string =>
  reason === null ? HISTORY_WORDS[code] : `${HISTORY_WORDS[code]} as ${reason}`;
