import { RE2JS } from "re2js";
import { fold } from "../../base/text/index.js";
import { type AnyOf, CaseFault, readPattern } from "./pattern-syntax.js";

/** Decides a `matches` pattern in time linear in the text, whatever the pattern. */
export type PatternTest = (text: string) => boolean;

/** A flag at the beginning that asks for what fields whose case matters do not do by themselves. */
const IGNORE_CASE = /^\(\?i\)/;

/**
 * Compiles a pattern of RE2 syntax (a dot matches line ends too). On folded fields case does not matter, for ASCII letters alone, as in all
 * other comparisons (`docs/semantics.md` 16); on others a pattern may begin with `(?i)`.
 * @returns the reason in words when it cannot be compiled; else with `steps`, the size of its program: what a character costs at the worst
 */
export function compilePattern(
  source: string,
  folds: boolean,
): { ok: true; test: PatternTest; steps: number } | { ok: false; reason: string } {
  try {
    // as it was written: then what is wrong is said of what was written
    RE2JS.compile(source);
    const ignoresCase = folds || IGNORE_CASE.test(source);
    const pattern = RE2JS.compile(readPattern(source, ignoresCase).source, RE2JS.DOTALL);
    return {
      ok: true,
      test: ignoresCase ? (text) => pattern.test(fold(text)) : (text) => pattern.test(text),
      steps: pattern.programSize(),
    };
  } catch (e) {
    if (e instanceof CaseFault) return { ok: false, reason: e.message };
    return { ok: false, reason: e instanceof Error ? e.message.replace(/^error parsing regexp: /, "") : String(e) };
  }
}

/** Steps that the patterns of one filter may take for each character of a text, at the worst. */
export const MAX_PATTERN_STEPS = 3_000;

/** Texts that whatever a pattern matches holds, one of each list; folded where case does not matter. */
export function requiredLiterals(source: string, folds: boolean): readonly AnyOf[] {
  if (!folds && IGNORE_CASE.test(source)) return [];
  return readPattern(source, folds).literals;
}
