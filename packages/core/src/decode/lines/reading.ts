import { flatten, parseExact } from "../json/index.js";
import { unquoted, type ValueType } from "./value-types.js";

/** A value found in a line, and where it stands, [start, end). */
export interface Value {
  readonly name: string;
  readonly text: string;
  readonly start: number;
  readonly end: number;
}

/** How far a line was followed: what was expected where, and how much of the format had been met (0 to 1). */
export interface Miss {
  readonly at: number;
  readonly expected: string;
  readonly share: number;
}

export type Reading = { readonly values: readonly Value[] } | Miss;

export const isRead = (reading: Reading): reading is { readonly values: readonly Value[] } => "values" in reading;

const MAX_PAIRS = 200;
const isNameSign = (c: number): boolean =>
  (c >= 97 && c <= 122) || (c >= 65 && c <= 90) || (c >= 48 && c <= 57) || c === 95 || c === 45 || c === 46;

/**
 * `name=value` between separators. A value is plain up to the separator, or in quotes. Between blanks, words without a name belong to the value before them
 * only in quotes; anywhere else a piece without a name is passed over.
 */
export function readPairs(text: string, between: string, equals: string): Value[] {
  const found: Value[] = [];
  let at = 0;
  while (at < text.length && found.length < MAX_PAIRS) {
    const sign = text.indexOf(equals, at);
    if (sign < 0) break;
    let start = sign;
    while (start > at && isNameSign(text.charCodeAt(start - 1))) start--;
    let from = sign + 1;
    if (between !== " ") while (text[from] === " ") from++;
    const quote = text[from];
    let end = -1;
    if (quote === '"' || quote === "'") {
      for (let i = from + 1; i < text.length && end < 0; i++) {
        if (text[i] === "\\") i++;
        else if (text[i] === quote) end = i + 1;
      }
    }
    const isQuoted = end >= 0;
    if (!isQuoted) {
      end = text.indexOf(between, from);
      if (end < 0) end = text.length;
    }
    const raw = text.slice(from, end);
    if (start < sign)
      found.push({ name: text.slice(start, sign), text: isQuoted ? unquoted(raw) : raw.trim(), start: from, end });
    at = Math.max(end, sign + 1);
  }
  return found;
}

/** Leaves of a JSON object by their path; null: it is none. */
export function readJson(text: string): Value[] | null {
  const trimmed = text.trim();
  if (!trimmed.startsWith("{")) return null;
  try {
    return flatten(parseExact(trimmed)).map(([name, value]) => ({ name, text: value, start: 0, end: text.length }));
  } catch {
    return null;
  }
}

/** What a value of a line holds itself: nothing for a plain one, null where it should and does not. */
export function readInside(type: ValueType, raw: string): Value[] | null {
  if (type === "json") return readJson(raw);
  if (type !== "pairs") return [];
  const pairs = readPairs(raw, " ", "=");
  return pairs.length === 0 ? null : pairs;
}
