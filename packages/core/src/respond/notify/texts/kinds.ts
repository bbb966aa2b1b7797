/** What texts there are: for each thing that messages tell of one incident, and for many that go together. */
export const TEXT_KINDS = ["raise", "change", "worse", "reminder", "escalation", "clear", "digest"] as const;
export type TextKind = (typeof TEXT_KINDS)[number];
