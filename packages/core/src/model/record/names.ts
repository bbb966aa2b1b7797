/** RFC 5424 section 6.2.1, table 1, by the names syslog daemons use. The index is the code. */
export const FACILITIES = [
  "kern",
  "user",
  "mail",
  "daemon",
  "auth",
  "syslog",
  "lpr",
  "news",
  "uucp",
  "cron",
  "authpriv",
  "ftp",
  "ntp",
  "audit",
  "alert",
  "clock",
  "local0",
  "local1",
  "local2",
  "local3",
  "local4",
  "local5",
  "local6",
  "local7",
] as const;

/** What a record is about. Stored as the index: append only. */
export const CATEGORIES = [
  "other",
  "logon",
  "privilege",
  "account",
  "configuration",
  "link",
  "routing",
  "policy",
  "service",
  "process",
  "log tampering",
  "system health",
  "traffic",
] as const;
export type Category = (typeof CATEGORIES)[number];

/** How it ended. Stored as the index: append only. */
export const OUTCOMES = ["unknown", "success", "failure"] as const;
export type Outcome = (typeof OUTCOMES)[number];

/** What a policy decided. Stored as the index: append only. */
export const ACTIONS = ["accept", "deny", "reject"] as const;
export type Action = (typeof ACTIONS)[number];

/** Facts about how a record came to be, stored as a bit set: bit = index, append only. */
export const MARKS = [
  "late",
  "held",
  "imported",
  "copy",
  "problem",
  "clock corrected",
  "replayed",
  "estimated",
  "expected",
] as const;
export type Mark = (typeof MARKS)[number];

/** Why `time` is what it is (`docs/semantics.md` 2). Stored as the index: append only. */
export const TIME_REASONS = [
  "device",
  "corrected",
  "arrival: coarse stamp",
  "arrival: no stamp",
  "arrival: too far ahead",
  "arrival: too far behind",
] as const;
export type TimeReason = (typeof TIME_REASONS)[number];
