import type { DecodeProblem } from "../../base/bytes/index.js";

export interface StructuredData {
  /** `id name` → value, in the order sent; an element without parameters gives `id` → "". */
  readonly data: readonly (readonly [name: string, value: string])[];
  /** Index after the last element, or where reading stopped. */
  readonly end: number;
  readonly problem: DecodeProblem | null;
}

/**
 * STRUCTURED-DATA = NILVALUE / 1*SD-ELEMENT (RFC 5424 section 6.3). Within a value `\"`, `\\` and `\]` are escapes; any
 * other backslash stands for itself and what follows is kept (section 6.3.3). Names are data: `__proto__` is legal.
 */
export function readStructuredData(line: string, start: number): StructuredData {
  if (line.charCodeAt(start) === 45) return { data: [], end: start + 1, problem: null };
  const data: [string, string][] = [];
  let at = start;
  const fail = (offset: number, message: string): StructuredData => ({
    data,
    end: at,
    problem: { code: "BAD_STRUCTURED_DATA", offset, message: `structured data: ${message}` },
  });
  if (line.charCodeAt(at) !== 91) return fail(at, `expected "-" or "[", got ${quoteAt(line, at)}`);
  while (line.charCodeAt(at) === 91) {
    let i = nameEnd(line, at + 1);
    if (i === at + 1) return fail(i, `expected an element name, got ${quoteAt(line, i)}`);
    const id = line.slice(at + 1, i);
    const before = data.length;
    while (line.charCodeAt(i) === 32) {
      const nameStart = i + 1;
      const equals = nameEnd(line, nameStart);
      if (equals === nameStart || line.charCodeAt(equals) !== 61 || line.charCodeAt(equals + 1) !== 34) {
        data.length = before;
        return fail(equals, `expected name="value", got ${quoteAt(line, equals)}`);
      }
      const close = valueEnd(line, equals + 2);
      if (close < 0) {
        data.length = before;
        return fail(equals + 1, "expected a closing quote, got the end");
      }
      data.push([`${id} ${line.slice(nameStart, equals)}`, unescapeValue(line.slice(equals + 2, close))]);
      i = close + 1;
    }
    if (line.charCodeAt(i) !== 93) {
      data.length = before;
      return fail(i, `expected "]", got ${quoteAt(line, i)}`);
    }
    if (data.length === before) data.push([id, ""]);
    at = i + 1;
  }
  return { data, end: at, problem: null };
}

/** SD-NAME: printable ASCII but `=`, space, `]` and `"`. */
function nameEnd(line: string, start: number): number {
  let i = start;
  for (; i < line.length; i++) {
    const c = line.charCodeAt(i);
    if (c <= 32 || c > 126 || c === 61 || c === 93 || c === 34) break;
  }
  return i;
}

function valueEnd(line: string, start: number): number {
  for (let i = start; i < line.length; i++) {
    const c = line.charCodeAt(i);
    if (c === 92) i++;
    else if (c === 34) return i;
  }
  return -1;
}

const unescapeValue = (value: string): string => (value.includes("\\") ? value.replace(/\\(["\\\]])/g, "$1") : value);

const quoteAt = (line: string, at: number): string => (at < line.length ? JSON.stringify(line[at]) : "the end");
