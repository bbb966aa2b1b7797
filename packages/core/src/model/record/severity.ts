/** RFC 5424 section 6.2.1, table 2: 0 is worst. The one scale for every kind of record. */
export const SEVERITIES = [
  "emergency",
  "alert",
  "critical",
  "error",
  "warning",
  "notice",
  "informational",
  "debug",
] as const;

export type Severity = 0 | 1 | 2 | 3 | 4 | 5 | 6 | 7;
export type SeverityName = (typeof SEVERITIES)[number];

/** Shorter spellings used by several syslog daemons. */
const ALIASES: Readonly<Record<string, Severity>> = { emerg: 0, panic: 0, crit: 2, err: 3, warn: 4, info: 6 };

export const severityName = (severity: number): SeverityName => SEVERITIES[severity] ?? "debug";

/** A severity by name, short name or digit, else null. */
export function parseSeverity(text: string): Severity | null {
  const folded = text.toLowerCase();
  const index = (SEVERITIES as readonly string[]).indexOf(folded);
  if (index >= 0) return index as Severity;
  if (Object.hasOwn(ALIASES, folded)) return ALIASES[folded]!;
  return /^[0-7]$/.test(folded) ? (Number(folded) as Severity) : null;
}
