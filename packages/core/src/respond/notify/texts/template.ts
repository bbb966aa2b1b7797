import { nearest } from "../../../query/filter/index.js";
import type { TextKind } from "./kinds.js";
import { variablesOf } from "./variables.js";

/** A part of a line: what is written, or a variable. */
type Piece = { readonly text: string } | { readonly variable: string };

/** A line of a text: pieces one after another, or a block that stands alone; empty: an empty line. */
export type TemplateLine = { readonly block: string } | { readonly pieces: readonly Piece[] };

/** A mistake in a text: where, in UTF-16 units of it, and what may have been meant. */
export interface TemplateFault {
  readonly message: string;
  readonly start: number;
  readonly end: number;
}

const TOKEN = /\{\{|\}\}|\{([^{}\n]{0,60})\}|[{}]/g;

/**
 * A text with `{variables}` as lines of pieces; `{{` and `}}` stand for the brackets themselves. Linear in its length.
 * @param takesBlocks false: a subject, which is one line
 */
export function readTemplate(
  text: string,
  kind: TextKind,
  takesBlocks: boolean,
): { readonly lines: readonly TemplateLine[]; readonly faults: readonly TemplateFault[] } {
  const known = variablesOf(kind);
  const faults: TemplateFault[] = [];
  const lines: TemplateLine[] = [];
  let lineStart = 0;
  for (const line of text.split("\n")) {
    const pieces: Piece[] = [];
    let at = 0;
    const write = (part: string) => part !== "" && pieces.push({ text: part });
    for (const found of line.matchAll(TOKEN)) {
      write(line.slice(at, found.index));
      at = found.index + found[0].length;
      const span = { start: lineStart + found.index, end: lineStart + at };
      const name = found[1]?.trim();
      if (found[0] === "{{" || found[0] === "}}") write(found[0].charAt(0));
      else if (name === undefined)
        faults.push({
          message: `“${found[0]}” alone: a variable is {name}, a bracket itself is ${found[0]}${found[0]}`,
          ...span,
        });
      else {
        const variable = known.find((v) => v.name === name);
        if (variable === undefined)
          faults.push({
            message: unknown(
              name,
              known.map((v) => v.name),
            ),
            ...span,
          });
        else if (variable.isBlock && !takesBlocks)
          faults.push({ message: `{${name}} is several lines: it cannot stand in a subject`, ...span });
        else if (variable.isBlock && line.trim() !== found[0])
          faults.push({ message: `{${name}} is lines of its own: it stands alone on its line`, ...span });
        else pieces.push({ variable: name });
      }
    }
    write(line.slice(at));
    const only = pieces.length > 0 && line.trim().startsWith("{") ? pieces.find((p) => "variable" in p) : undefined;
    const block = only !== undefined && "variable" in only && known.some((v) => v.isBlock && v.name === only.variable);
    lines.push(block ? { block: (only as { variable: string }).variable } : { pieces });
    lineStart += line.length + 1;
  }
  return { lines, faults };
}

function unknown(name: string, names: readonly string[]): string {
  const near = nearest(name, names);
  return near === null
    ? `there is no variable {${name}}; there are ${names.map((n) => `{${n}}`).join(", ")}`
    : `there is no variable {${name}}; did you mean {${near}}?`;
}
