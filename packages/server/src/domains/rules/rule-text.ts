import { Rule } from "@halvik/core/detect";
import type { SavedText } from "@halvik/core/query/filter";
import { isMap, parse, parseDocument, stringify, YAMLParseError } from "yaml";

/** A place in a rule that cannot stay as it is. */
export interface RuleIssue {
  /** `steps.1.filter`, or empty for the whole. */
  readonly path: string;
  readonly message: string;
}

/** No anchors that grow a small file into a large one. */
const MAX_ALIASES = 20;

/** Reads a rule as a file: YAML, of which JSON is a part. */
export function readRule(text: string): { rule: Rule; issues: [] } | { rule: null; issues: RuleIssue[] } {
  let value: unknown;
  try {
    value = parse(text, { maxAliasCount: MAX_ALIASES });
  } catch (e) {
    const at = e instanceof YAMLParseError ? e.linePos?.[0] : undefined;
    const place = at ? `line ${at.line}, column ${at.col}: ` : "";
    return { rule: null, issues: [{ path: "", message: `${place}${(e as Error).message.split("\n")[0]}` }] };
  }
  const parsed = Rule.safeParse(value);
  if (parsed.success) return { rule: parsed.data, issues: [] };
  return {
    rule: null,
    issues: parsed.error.issues.map((i) => ({ path: i.path.join("."), message: i.message })),
  };
}

const NAMES_SAVED = /\bfilter\s+\\?"([^"\\\n]{1,120})\\?"/gu;

/** A rule's file with the saved filters that it names as they are now, and those that they name: kept with this version of it. */
export function withSavedFilters(text: string, saved: readonly SavedText[]): string {
  const used = new Map<string, SavedText>();
  const take = (from: string) => {
    for (const [, name] of from.matchAll(NAMES_SAVED)) {
      const found = saved.find((s) => s.name.toLowerCase() === name!.toLowerCase());
      if (found === undefined || used.has(found.name)) continue;
      used.set(found.name, { name: found.name, text: found.text });
      take(found.text);
    }
  };
  const document = parseDocument(text);
  if (document.errors.length > 0 || !isMap(document.contents)) return text;
  // what an earlier version held is not what is meant now
  document.delete("savedFilters");
  const bare = document.toString({ lineWidth: 100 });
  take(bare);
  if (used.size === 0) return text;
  document.set("savedFilters", [...used.values()]);
  return document.toString({ lineWidth: 100 });
}

/** In the order in which people read a rule; the rest follows. */
const FIRST = ["id", "name", "kind", "severity", "enabled", "filter", "of", "key"];

/** A rule as a file. What is at its default is left out. */
export function writeRule(rule: Rule): string {
  const bare = Object.fromEntries(Object.entries(rule).filter(([name, v]) => !isDefault(name, v)));
  const ordered = Object.fromEntries([
    ...FIRST.filter((n) => n in bare).map((n) => [n, bare[n]]),
    ...Object.entries(bare).filter(([n]) => !FIRST.includes(n)),
  ]);
  return stringify(ordered, { lineWidth: 100 });
}

function isDefault(name: string, value: unknown): boolean {
  if (name === "enabled") return value === true;
  if (name === "key") return false;
  return (
    value === "" || value === false || value === 0 || value === null || (Array.isArray(value) && value.length === 0)
  );
}
