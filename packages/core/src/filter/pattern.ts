import { RE2JS } from "re2js";

/** Decides a `matches` pattern in time linear in the text, whatever the pattern. */
export type PatternTest = (text: string) => boolean;

/**
 * Compiles a pattern of RE2 syntax. Patterns on folded fields ignore case.
 * @returns the reason in words when it cannot be compiled
 */
export function compilePattern(
  source: string,
  ignoreCase: boolean,
): { ok: true; test: PatternTest } | { ok: false; reason: string } {
  try {
    const pattern = RE2JS.compile(source, RE2JS.DOTALL | (ignoreCase ? RE2JS.CASE_INSENSITIVE : 0));
    return { ok: true, test: (text) => pattern.test(text) };
  } catch (e) {
    return { ok: false, reason: e instanceof Error ? e.message.replace(/^error parsing regexp: /, "") : String(e) };
  }
}
