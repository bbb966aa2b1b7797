import { endsOf, readTemplate, usualType } from "../decode/lines/index.js";

/** A part of a line that is a value: [start, end), and what it is called, as `name:type`. */
export interface Marked {
  readonly start: number;
  readonly end: number;
  readonly name: string;
}

const escaped = (text: string): string => text.replace(/[{}]/g, "$&$&");

/** The template that a line with marked parts stands for. @param marks in their order, none within another */
export function templateOf(line: string, marks: readonly Marked[]): string {
  let out = "";
  let at = 0;
  for (const { start, end, name } of marks) {
    out += `${escaped(line.slice(at, start))}{${name}}`;
    at = end;
  }
  return out + escaped(line.slice(at));
}

/** Where the values of a template stand in a line it fits; null: it does not fit it. Nested values count as the one they lie in. */
export function marksOf(template: string, line: string): Marked[] | null {
  const parts = readTemplate(template);
  const marks: Marked[] = [];
  const ends = endsOf(parts, line);
  if ("expected" in ends) return null;
  for (const [i, part] of parts.entries()) {
    if ("literal" in part) continue;
    const { name, type } = part.value;
    marks.push({ start: ends[i - 1] ?? 0, end: ends[i]!, name: type === usualType(name) ? name : `${name}:${type}` });
  }
  return marks;
}

/** The template with one more part of a line marked; marks that the new one touches give way. */
export function mark(template: string, line: string, { start, end, name }: Marked): string {
  const before = (template === "" ? null : marksOf(template, line)) ?? [];
  const kept = before.filter((m) => m.end <= start || m.start >= end);
  return templateOf(
    line,
    [...kept, { start, end, name }].sort((a, b) => a.start - b.start),
  );
}
