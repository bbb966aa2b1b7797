import { withoutMappedZero } from "../decode/snmp/index.js";
import type { Severity } from "../model/record/index.js";
import type { Meaning, MeaningKind, OwnMeaning, SeverityRow } from "./meaning.js";
import { SEVERITY_ROWS } from "./meaning.js";
import { PhraseTable } from "./phrase-table.js";
import { SNMP_MEANINGS } from "./snmp-meanings.js";
import { phraseCode, readPhraseCode, SYSLOG_PHRASES } from "./syslog-phrases.js";
import { WINDOWS_MEANINGS } from "./windows-dictionary.js";

type CodedKind = Exclude<MeaningKind, "syslog">;
const shipped: Readonly<Record<CodedKind, ReadonlyMap<string, Meaning>>> = {
  windows: WINDOWS_MEANINGS,
  snmp: SNMP_MEANINGS,
};

/** What people set for phrases that ship changes those; phrases of their own come before. */
function phrasesWith(own: readonly OwnMeaning[]): PhraseTable {
  const set = new Map(own.filter((m) => m.kind === "syslog").map((m) => [m.code, m]));
  const known = SYSLOG_PHRASES.map((row) => {
    const mine = set.get(phraseCode(row));
    set.delete(phraseCode(row));
    return mine ? { ...row, category: mine.category, outcome: mine.outcome, severity: mine.severity } : row;
  });
  const added = [...set.values()].map(({ code, category, outcome, severity }) => ({
    ...readPhraseCode(code),
    category,
    outcome,
    severity,
  }));
  return new PhraseTable([...added, ...known]);
}

const SHIPPED_PHRASES = new PhraseTable(SYSLOG_PHRASES);

/** Meanings in force: what people set, before what ships. Immutable: a change makes a new one. */
export class Meanings {
  readonly phrases: PhraseTable;
  private readonly own: Readonly<Record<CodedKind, ReadonlyMap<string, OwnMeaning>>>;
  private readonly severities: Readonly<Record<SeverityRow["kind"], ReadonlyMap<string, Severity>>>;

  constructor(own: readonly OwnMeaning[] = [], severities: readonly SeverityRow[] = []) {
    this.phrases = own.some((m) => m.kind === "syslog") ? phrasesWith(own) : SHIPPED_PHRASES;
    const of = (kind: CodedKind) => new Map(own.filter((m) => m.kind === kind).map((m) => [m.code, m]));
    this.own = { windows: of("windows"), snmp: of("snmp") };
    const rows = [...SEVERITY_ROWS, ...severities];
    const words = (kind: SeverityRow["kind"]) =>
      new Map(rows.filter((r) => r.kind === kind).map((r) => [r.original, r.severity]));
    this.severities = {
      windows: words("windows"),
      firewall: words("firewall"),
      snmp: words("snmp"),
      json: words("json"),
    };
  }

  /** An id means something only together with its provider. */
  windows(provider: string, id: number): Meaning | undefined {
    return this.find("windows", `${provider} ${id}`);
  }

  snmp(oid: string): Meaning | undefined {
    const found = this.find("snmp", oid);
    if (found) return found;
    const before = withoutMappedZero(oid);
    return before === null ? undefined : this.find("snmp", before);
  }

  severity(kind: SeverityRow["kind"], original: string, otherwise: Severity): Severity {
    return this.severities[kind].get(original) ?? otherwise;
  }

  private find(kind: CodedKind, code: string): Meaning | undefined {
    return this.own[kind].get(code) ?? shipped[kind].get(code);
  }
}
