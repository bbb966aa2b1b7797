import type { SyslogPhrase } from "./syslog-phrases.js";

/** The rows that may apply to an app's messages, and one pattern that tells whether any of them does. */
interface PhraseSet {
  readonly rows: readonly SyslogPhrase[];
  readonly any: { test(text: string): boolean };
}

function phraseSet(rows: readonly SyslogPhrase[]): PhraseSet {
  const literals = rows.map((m) => m.phrase.replace(/[.*+?^${}()|[\]\\]/g, "\\$&"));
  // biome-ignore lint/style/noRestrictedGlobals: an alternation of literals, linear in the text
  return { rows, any: new RegExp(literals.join("|")) };
}

/** Phrases by app: rows that name the app come before the general ones, and among equals the earlier one counts. */
export class PhraseTable {
  private readonly general: PhraseSet;
  private readonly byApp: ReadonlyMap<string, PhraseSet>;

  constructor(rows: readonly SyslogPhrase[]) {
    const generalRows = rows.filter((m) => m.apps === undefined);
    this.general = phraseSet(generalRows);
    this.byApp = new Map(
      [...new Set(rows.flatMap((m) => m.apps ?? []))].map((app) => [
        app,
        phraseSet([...rows.filter((m) => m.apps?.includes(app)), ...generalRows]),
      ]),
    );
  }

  /** The first row whose phrase a message of an app holds. */
  find(app: string | null, text: string): SyslogPhrase | undefined {
    const set = (app !== null && this.byApp.get(app)) || this.general;
    return set.any.test(text) ? set.rows.find((row) => text.includes(row.phrase)) : undefined;
  }
}
