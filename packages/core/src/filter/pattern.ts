import { RE2JS } from "re2js";
import { fold } from "./fold.js";

/** Decides a `matches` pattern in time linear in the text, whatever the pattern. */
export type PatternTest = (text: string) => boolean;

/**
 * Compiles a pattern of RE2 syntax. Patterns on folded fields ignore case.
 * @returns the reason in words when it cannot be compiled; else with `steps`, the size of its program: what a character costs at the worst
 */
export function compilePattern(
  source: string,
  ignoreCase: boolean,
): { ok: true; test: PatternTest; steps: number } | { ok: false; reason: string } {
  try {
    const pattern = RE2JS.compile(source, RE2JS.DOTALL | (ignoreCase ? RE2JS.CASE_INSENSITIVE : 0));
    return { ok: true, test: (text) => pattern.test(text), steps: pattern.programSize() };
  } catch (e) {
    return { ok: false, reason: e instanceof Error ? e.message.replace(/^error parsing regexp: /, "") : String(e) };
  }
}

/** Steps that the patterns of one filter may take for each character of a text, at the worst. */
export const MAX_PATTERN_STEPS = 3_000;

/** Letters that patterns which ignore case also find beyond ASCII (U+212A and U+017F): no text can be asked to hold them. */
const FOLDS_FURTHER = /[ks]/;

/**
 * Folded stretches of text that whatever the pattern matches holds literally. Found by reading no further than is safe: from the
 * outermost level only, and not at all where there is an alternative at that level or a flag.
 */
export function requiredLiterals(source: string): string[] {
  const found: string[] = [];
  let run = "";
  const end = () => {
    if (run !== "") found.push(run);
    run = "";
  };
  for (let at = 0; at < source.length; at++) {
    const c = source[at]!;
    if (c === "|" || source.startsWith("(?", at)) return [];
    if (c === "(" || c === "[") {
      end();
      at = c === "(" ? closeOfGroup(source, at) : closeOfClass(source, at);
      if (at < 0) return [];
    } else if (c === "*" || c === "?" || c === "{") {
      // what it stands behind need not be there
      run = run.slice(0, -1);
      end();
      if (c === "{") at = source.indexOf("}", at);
      if (at < 0) return [];
    } else if (c === "\\") {
      const escaped = source[++at] ?? "";
      if (/[^A-Za-z0-9]/.test(escaped)) run += escaped;
      else {
        if (escaped === "Q" || escaped === "p" || escaped === "P" || escaped === "x") return [];
        end();
      }
    } else if (/[.^$+]/.test(c) || c.charCodeAt(0) > 126 || FOLDS_FURTHER.test(fold(c))) end();
    else run += fold(c);
  }
  end();
  return found;
}

function closeOfGroup(source: string, open: number): number {
  let depth = 0;
  for (let at = open; at < source.length; at++) {
    const c = source[at];
    if (c === "\\") at++;
    else if (c === "[") {
      at = closeOfClass(source, at);
      if (at < 0) return -1;
    } else if (c === "(") depth++;
    else if (c === ")" && --depth === 0) return at;
  }
  return -1;
}

function closeOfClass(source: string, open: number): number {
  // a bracket that comes first is one of the class
  let at = open + (source[open + 1] === "^" ? 2 : 1);
  if (source[at] === "]") at++;
  for (; at < source.length; at++) {
    if (source[at] === "\\") at++;
    else if (source.startsWith("[:", at)) {
      at = source.indexOf(":]", at) + 1;
      if (at === 0) return -1;
    } else if (source[at] === "]") return at;
  }
  return -1;
}
