import { Rule } from "./rule.js";

/** A rule as it was kept, read today. */
export interface KeptRule {
  /** Fit to be described: a filter that is not understood any more stands in it as the text it is. */
  readonly rule: Rule;
  /** As it was kept, for whoever mends it. */
  readonly original: Rule;
  /** Why it cannot run as it is; empty: it can. */
  readonly unreadable: readonly string[];
}

/**
 * Reads what was a rule when it was kept. The filter language may have come to refuse since what it once took: such a rule does not run, but is
 * shown, and so are the incidents it raised. Null: it never was a rule.
 */
export function readKeptRule(body: unknown): KeptRule | null {
  const parsed = Rule.safeParse(body);
  if (parsed.success) return { rule: parsed.data, original: parsed.data, unreadable: [] };
  const shown: unknown = JSON.parse(JSON.stringify(body));
  for (const { path } of parsed.error.issues) {
    const last = path[path.length - 1];
    const holder = path
      .slice(0, -1)
      .reduce<unknown>((at, name) => (at as Record<PropertyKey, unknown> | null)?.[name], shown);
    const filter = (holder as Record<PropertyKey, unknown> | null | undefined)?.[last ?? ""];
    if (last !== "filter" || typeof filter !== "string") return null;
    (holder as { filter: string }).filter = `"${filter.replace(/["\\]/g, "\\$&")}"`;
  }
  const again = Rule.safeParse(shown);
  if (!again.success) return null;
  return { rule: again.data, original: body as Rule, unreadable: parsed.error.issues.map((i) => i.message) };
}
