import { FormatError } from "./form.js";
import { type Miss, type Reading, readInside, type Value } from "./reading.js";
import { type Named, readName } from "./value-name.js";
import {
  endOfAddress,
  endOfMac,
  endOfNumber,
  endOfQuoted,
  endOfWord,
  TYPE_WORDS,
  unquoted,
  type ValueType,
} from "./value-types.js";

/** A part of a line: text that stands there, or a value. */
export type TemplatePart = { readonly literal: string } | { readonly value: Named };

const MAX_PARTS = 201;
/** Types that end by themselves: something may follow them at once. */
const ENDING: ReadonlySet<ValueType> = new Set(["word", "number", "address", "port", "mac", "quoted"]);

/** Takes a template apart: `{name:type}` is a value, `{{` and `}}` are braces. @throws {FormatError} */
export function readTemplate(template: string): readonly TemplatePart[] {
  const parts: TemplatePart[] = [];
  let literal = "";
  const push = () => {
    if (literal !== "") parts.push({ literal });
    literal = "";
  };
  for (let i = 0; i < template.length; i++) {
    const sign = template[i]!;
    if ((sign === "{" || sign === "}") && template[i + 1] === sign) {
      literal += sign;
      i++;
    } else if (sign === "}") throw new FormatError(`at ${i}: "}" closes nothing; a brace itself is written "}}"`);
    else if (sign === "{") {
      const end = template.indexOf("}", i);
      if (end < 0) throw new FormatError(`at ${i}: "{" is not closed; a brace itself is written "{{"`);
      push();
      const value = readName(template.slice(i + 1, end));
      const before = parts.at(-1);
      if (before !== undefined && "value" in before && !ENDING.has(before.value.type))
        throw new FormatError(
          `at ${i}: between {${before.value.name}} and {${value.name}} something must stand, or nobody knows where one ends`,
        );
      parts.push({ value });
      i = end;
    } else literal += sign;
  }
  push();
  if (parts.length > MAX_PARTS) throw new FormatError(`expected at most ${MAX_PARTS} parts, got ${parts.length}`);
  return parts;
}

/** The longest text that every line it fits contains. */
export const literalOf = (parts: readonly TemplatePart[]): string =>
  parts.reduce((longest, p) => ("literal" in p && p.literal.length > longest.length ? p.literal : longest), "");

/**
 * Where each part of a line ends, from its beginning to its end. A value goes to the first place at which what follows it stands, and no further is tried: the
 * time is in proportion to the line's length times the parts, whatever is sent.
 */
export function endsOf(parts: readonly TemplatePart[], line: string): readonly number[] | Miss {
  const text = line.trimEnd();
  const ends: number[] = [];
  let at = 0;
  const miss = (part: number, expected: string): Miss => ({ at, expected, share: part / parts.length });
  for (let i = 0; i < parts.length; i++) {
    const part = parts[i]!;
    const isLast = i === parts.length - 1;
    if ("literal" in part) {
      // blanks at the end of a line are not looked at
      const literal = isLast ? part.literal.trimEnd() : part.literal;
      if (!text.startsWith(literal, at)) return miss(i, `"${literal}"`);
      at += literal.length;
    } else {
      const next = parts[i + 1];
      const literal = next !== undefined && "literal" in next ? next.literal : null;
      const end = endOf(part.value.type, text, at, literal, i + 2 >= parts.length);
      if (end < 0) return miss(i, TYPE_WORDS[part.value.type]);
      at = end;
    }
    ends.push(at);
  }
  return at < text.length ? { at, expected: "the end of the line", share: 0.9 } : ends;
}

/** The values of a line that a template fits. */
export function readLine(parts: readonly TemplatePart[], line: string): Reading {
  const ends = endsOf(parts, line);
  if ("expected" in ends) return ends;
  const values: Value[] = [];
  for (const [i, part] of parts.entries()) {
    if ("literal" in part) continue;
    const { name, type } = part.value;
    const start = ends[i - 1] ?? 0;
    const end = ends[i]!;
    const raw = line.slice(start, end);
    const inner = readInside(type, raw);
    if (inner === null) return { at: start, expected: TYPE_WORDS[type], share: i / parts.length };
    if (inner.length > 0) values.push(...inner.map((v) => ({ ...v, start, end })));
    else values.push({ name, text: type === "quoted" ? unquoted(raw) : raw, start, end });
  }
  return { values };
}

function endOf(type: ValueType, text: string, at: number, literal: string | null, isLast: boolean): number {
  switch (type) {
    case "number":
    case "port":
      return endOfNumber(text, at);
    case "address":
      return endOfAddress(text, at);
    case "mac":
      return endOfMac(text, at);
    case "quoted":
      return endOfQuoted(text, at);
    default: {
      const stop = stopOf(text, at, literal, isLast);
      if (type !== "word") return stop;
      const word = endOfWord(text, at);
      return stop < 0 || word < 0 || stop === at ? -1 : Math.min(word, stop);
    }
  }
}

/** Where what follows stands; the end of the line where nothing does. */
function stopOf(text: string, at: number, literal: string | null, isLast: boolean): number {
  if (literal === null) return text.length;
  const sought = isLast ? literal.trimEnd() : literal;
  return sought === "" ? text.length : text.indexOf(sought, at);
}
