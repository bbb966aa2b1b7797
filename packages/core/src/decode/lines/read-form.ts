import { splitRow } from "../../base/text/index.js";
import { type Form, FormatError, type NamedForm } from "./form.js";
import { literalOf, readLine, readTemplate } from "./line-form.js";
import { isRead, type Miss, type Reading, readInside, readJson, readPairs, type Value } from "./reading.js";
import { type Named, readName } from "./value-name.js";
import { isOfType, TYPE_WORDS, unquoted } from "./value-types.js";

/** Reads lines in one form. */
export interface FormReader {
  readonly read: (text: string) => Reading;
  /** What every line it fits contains; "": nothing is known. */
  readonly contains: string;
}

/** Makes a form ready to read. @throws {FormatError} when it cannot be */
export function readerOf({ form, names }: NamedForm): FormReader {
  switch (form.is) {
    case "line": {
      const parts = readTemplate(form.template);
      if (!parts.some((p) => "value" in p))
        throw new FormatError("the line names no value: write {name} where one stands");
      return { read: (text) => readLine(parts, text), contains: literalOf(parts).trim() };
    }
    case "columns":
      return { read: columnsReader(form), contains: form.by === " " ? "" : form.by };
    case "positions":
      return { read: positionsReader(form), contains: "" };
    case "pairs":
      return {
        read: renaming(names, "name=value pairs", (text) => readPairs(text, form.between, form.equals)),
        contains: form.equals,
      };
    case "json":
      return { read: renaming(names, "a JSON object", readJson), contains: "{" };
  }
}

/** A value of a known place: what it is, or that it is missing. @returns null when it is not of its type */
function placed({ name, type }: Named, raw: string, start: number, end: number): Value[] | null {
  if (raw === "" || raw === "-") return [];
  if (type === "quoted") return /^(["']).*\1$/s.test(raw) ? [{ name, text: unquoted(raw), start, end }] : null;
  const inner = readInside(type, raw);
  if (inner === null || !isOfType(type, raw)) return null;
  return inner.length > 0 ? inner.map((v) => ({ ...v, start, end })) : [{ name, text: raw, start, end }];
}

function columnsReader({ by, names }: Extract<Form, { is: "columns" }>): (text: string) => Reading {
  const wanted = names.map(readName);
  if (wanted.every((w) => w.name === "")) throw new FormatError("no column has a name");
  return (line) => {
    const text = line.trimEnd();
    const row = splitRow(text, by);
    const count = row?.length ?? 0;
    if (row === null || count !== wanted.length)
      return {
        at: text.length,
        expected: row === null ? "a closing quote" : `${wanted.length} values, and ${count} are there`,
        share: count < 2 ? 0 : Math.min(count, wanted.length) / Math.max(count, wanted.length),
      };
    const values: Value[] = [];
    let at = 0;
    for (const [i, one] of wanted.entries()) {
      const raw = row[i]!.trim();
      // where it stands: of quoted ones about
      const start = raw === "" ? at : Math.max(at, text.indexOf(raw, at));
      const end = Math.min(text.length, start + raw.length);
      const found = placed(one, raw, start, end);
      if (found === null) return { at: start, expected: `${TYPE_WORDS[one.type]} for ${one.name}`, share: 0.9 };
      values.push(...found);
      at = end;
    }
    return { values };
  };
}

function positionsReader({ columns }: Extract<Form, { is: "positions" }>): (text: string) => Reading {
  const wanted = columns.map((c) => ({ ...c, named: readName(c.name) }));
  for (const { from, to, name } of wanted)
    if (to !== undefined && to <= from) throw new FormatError(`${name}: expected an end behind ${from}, got ${to}`);
  return (text) => {
    const values: Value[] = [];
    for (const { from, to, named } of wanted) {
      if (text.length <= from)
        return { at: text.length, expected: `${named.name} at ${from}`, share: text.length / (from + 1) };
      const end = Math.min(text.length, to ?? text.length);
      const found = placed(named, text.slice(from, end).trim(), from, end);
      if (found === null) return { at: from, expected: `${TYPE_WORDS[named.type]} for ${named.name}`, share: 0.9 };
      values.push(...found);
    }
    return { values };
  };
}

/** Values that bring their own names: those that are known get another, or go; a value that is not of its type keeps its own. */
function renaming(
  names: NamedForm["names"],
  expected: string,
  read: (text: string) => Value[] | null,
): (text: string) => Reading {
  const known = new Map(Object.entries(names).map(([from, to]) => [from, readName(to)]));
  const nothing: Miss = { at: 0, expected, share: 0 };
  return (text) => {
    const found = read(text);
    if (found === null || found.length === 0) return nothing;
    if (known.size > 0 && !found.some((v) => known.has(v.name)))
      return { at: 0, expected: `one of ${[...known.keys()].slice(0, 5).join(", ")}`, share: 0.5 };
    const values = found.flatMap((v) => {
      const named = known.get(v.name);
      if (named === undefined) return [v];
      if (named.name === "") return [];
      return isOfType(named.type, v.text) ? [{ ...v, name: named.name }] : [v];
    });
    return { values };
  };
}

/** Whether a line was followed so far that it is probably meant to fit, and does not any more. */
export const isNear = (reading: Reading): reading is Miss => !isRead(reading) && reading.share >= 0.5;
