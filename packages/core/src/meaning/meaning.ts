import type { Category, Outcome, Severity } from "../model/record/index.js";

/** What a sort of event means to a person: the editable part of normalising. */
export interface Meaning {
  /** On the common scale; null: by the kind's own severity. */
  readonly severity: Severity | null;
  readonly category: Category;
  readonly outcome: Outcome;
  /**
   * What happened, with `{name}` for values of the record; a part in square brackets goes when one of its values is missing.
   * Null: the record's own text stands.
   */
  readonly sentence: string | null;
  /** What to look at next. */
  readonly next: string | null;
}

/** Kinds whose events have a meaning by their code. */
export const MEANING_KINDS = ["windows", "snmp", "syslog"] as const;
export type MeaningKind = (typeof MEANING_KINDS)[number];

/** A meaning a person set: it stands before the shipped one. */
export interface OwnMeaning extends Meaning {
  readonly kind: MeaningKind;
  /** `provider id` for Windows events, the trap's object identifier for SNMP, `phraseCode` for syslog. */
  readonly code: string;
}

/** Severity of a kind's own word for it; rows a person changed stand before these. */
export interface SeverityRow {
  readonly kind: "windows" | "firewall" | "snmp" | "json";
  readonly original: string;
  readonly severity: Severity;
}

/**
 * Where a kind has no severity of the common scale, this table gives one. Windows levels by the published Event schema; the
 * rest is our choice, to be edited.
 */
export const SEVERITY_ROWS: readonly SeverityRow[] = [
  { kind: "windows", original: "level 0", severity: 6 },
  { kind: "windows", original: "level 1", severity: 2 },
  { kind: "windows", original: "level 2", severity: 3 },
  { kind: "windows", original: "level 3", severity: 4 },
  { kind: "windows", original: "level 4", severity: 6 },
  { kind: "windows", original: "level 5", severity: 7 },
  { kind: "windows", original: "audit success", severity: 6 },
  { kind: "windows", original: "audit failure", severity: 5 },
  { kind: "firewall", original: "accept", severity: 6 },
  { kind: "firewall", original: "deny", severity: 5 },
  { kind: "firewall", original: "reject", severity: 5 },
  { kind: "snmp", original: "notification", severity: 5 },
  { kind: "json", original: "none", severity: 6 },
];
