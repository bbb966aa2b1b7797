import { FIELDS, SEVERITIES } from "../../model/record/index.js";
import type { SenderDirectory } from "../../model/senders/index.js";
import { completeFilter, type SavedText } from "../../query/filter/index.js";
import { RuleShape } from "../kinds/schemas.js";
import { RULE_KINDS } from "./forms.js";

/** One way to go on in a rule's file. */
export interface FileCompletion {
  readonly text: string;
  readonly about: string;
}

/** What may be written at a place of a rule's file, and where what it replaces begins. */
export interface FileCompletions {
  readonly from: number;
  readonly options: readonly FileCompletion[];
}

/** Lists of fields, by the key they stand under. */
const OF_FIELDS = ["key", "entities", "suspects"];
const CLEARS = ["quiet", "record", "condition", "hand"];
const NONE: FileCompletions = { from: 0, options: [] };

/** Keys, kinds, severities, fields and filters, each where it belongs. @param at in UTF-16 units */
export function completeRuleFile(
  source: string,
  at: number,
  directory: SenderDirectory,
  saved: readonly SavedText[],
): FileCompletions {
  const lineStart = source.lastIndexOf("\n", at - 1) + 1;
  const line = source.slice(lineStart, at);
  const filter = /^\s*(?:- )?(?:filter|of): (.*)$/.exec(line);
  if (filter !== null && !(line.startsWith("of: ") && /^kind: distinct$/m.test(source))) {
    const written = filter[1]!;
    const begins = at - written.length;
    const found = completeFilter(
      written,
      written.length,
      directory,
      saved.map((s) => s.name),
    );
    return { from: begins + found.from, options: found.options.map(({ text, about }) => ({ text, about })) };
  }
  const value = /^\s*(?:- )?(\w+): (\S*)$/.exec(line);
  if (value !== null) return choices(value[1]!, value[2]!, at);
  const item = /^\s+- (\S*)$/.exec(line);
  if (item !== null) {
    const under = keyAbove(source, lineStart);
    const from = at - item[1]!.length;
    return { from, options: OF_FIELDS.includes(under) ? fieldsLike(item[1]!) : [] };
  }
  const key = /^(\w*)$/.exec(line);
  return key === null ? NONE : { from: lineStart, options: keysLike(source, key[1]!) };
}

function choices(key: string, written: string, at: number): FileCompletions {
  const of: Readonly<Record<string, readonly string[]>> = {
    kind: RULE_KINDS,
    severity: SEVERITIES,
    by: CLEARS,
    enabled: ["true", "false"],
    listenOnly: ["true", "false"],
  };
  const from = at - written.length;
  if (key === "of" || key === "along" || key === "field") return { from, options: fieldsLike(written) };
  const options = Object.hasOwn(of, key) ? of[key]! : [];
  return { from, options: options.filter((o) => o.startsWith(written)).map((text) => ({ text, about: key })) };
}

const fieldsLike = (written: string): FileCompletion[] =>
  FIELDS.filter((f) => f.name.startsWith(written)).map((f) => ({ text: f.name, about: f.about }));

/** The keys of a rule of this kind that the file has not. */
function keysLike(source: string, written: string): FileCompletion[] {
  const kind = /^kind: (\S+)$/m.exec(source)?.[1];
  const shape = RuleShape.options.find((o) => o.shape.kind.value === kind) ?? RuleShape.options[0]!;
  const has = new Set([...source.matchAll(/^(\w+):/gm)].map((m) => m[1]));
  return Object.keys(shape.shape)
    .filter((key) => key.startsWith(written) && !has.has(key))
    .map((key) => ({ text: `${key}: `, about: "" }));
}

/** The key that the items at a line stand under. */
function keyAbove(source: string, lineStart: number): string {
  const above = source.slice(0, lineStart).split("\n").reverse();
  return above.map((l) => /^\s*(\w+):\s*$/.exec(l)?.[1]).find((k) => k !== undefined) ?? "";
}
