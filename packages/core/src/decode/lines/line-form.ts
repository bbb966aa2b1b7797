import { FormatError } from "./form.js";
import { endOfLiteral, type Literal, literalFrom, startOfLiteral } from "./literal.js";
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
export type TemplatePart = Literal | { readonly value: Named };

const MAX_PARTS = 201;
/** Types that end by themselves: something may follow them at once. */
const ENDING: ReadonlySet<ValueType> = new Set(["word", "number", "address", "port", "mac", "quoted"]);

/** Takes a template apart: `{name:type}` is a value, `{{` and `}}` are braces. @throws {FormatError} */
export function readTemplate(template: string): readonly TemplatePart[] {
  const parts: TemplatePart[] = [];
  let literal = "";
  const push = () => {
    if (literal !== "") parts.push(literalFrom(literal));
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
  // blanks at the end of a line are not looked at
  literal = literal.trimEnd();
  push();
  if (parts.length > MAX_PARTS) throw new FormatError(`expected at most ${MAX_PARTS} parts, got ${parts.length}`);
  return parts;
}

/** The longest word that every line it fits contains. */
export const literalOf = (parts: readonly TemplatePart[]): string =>
  parts
    .flatMap((p) => ("words" in p ? p.words : []))
    .reduce((longest, word) => (word.length > longest.length ? word : longest), "");

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
    if ("literal" in part) {
      const end = endOfLiteral(part, text, at);
      if (end < 0) return miss(i, `"${part.literal}"`);
      at = end;
    } else {
      const next = parts[i + 1];
      const end = endOf(part.value.type, text, at, next !== undefined && "literal" in next ? next : null);
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

/** @param next what stands behind the value; null: nothing, or another value */
function endOf(type: ValueType, text: string, at: number, next: Literal | null): number {
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
      const stop = next === null ? text.length : startOfLiteral(next, text, at);
      if (type !== "word") return stop;
      const word = endOfWord(text, at);
      return stop < 0 || word < 0 || stop === at ? -1 : Math.min(word, stop);
    }
  }
}
