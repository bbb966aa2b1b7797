import { FIELDS, type FieldName, fieldNamed } from "../../model/record/index.js";
import type { Filter } from "./ast.js";
import { type ComparatorName, comparatorsOf } from "./comparators.js";
import { parseFilter } from "./parse.js";
import type { ParseContext } from "./parse-context.js";
import { quoteIfNeeded } from "./values.js";

/** A line of the form builder: a comparison in three pieces, or any other part of a filter as its text. */
export type FilterPart =
  | {
      readonly type: "comparison";
      readonly field: FieldName;
      readonly comparator: ComparatorName;
      readonly value: string;
    }
  | { readonly type: "text"; readonly text: string };

export interface FilterParts {
  readonly joiner: "and" | "or";
  readonly parts: readonly FilterPart[];
}

/** Comparators that ask for no value. */
const ALONE: readonly ComparatorName[] = ["present", "missing"];
/** Comparators that take one value, which may need quotes. */
const ONE_VALUE: readonly ComparatorName[] = ["is", "is not", "like"];

/** A filter as a form shows it: what stands between its outermost "and" or "or". Null when the text is no filter. */
export function filterParts(text: string, context: ParseContext): FilterParts | null {
  const parsed = parseFilter(text, context);
  if (!parsed.ok) return null;
  const { filter } = parsed;
  if (filter.type === "everything") return { joiner: "and", parts: [] };
  const joined = (filter.type === "and" || filter.type === "or") && !isSaved(sliceOf(filter, text));
  const items = joined ? filter.items : [filter];
  return {
    joiner: joined ? (filter.type as "and" | "or") : "and",
    parts: items.map((item) => partOf(item, text, context)),
  };
}

/** The text of a form. Parts without a value they need are left out. */
export function joinParts({ joiner, parts }: FilterParts): string {
  return parts
    .filter(isComplete)
    .map(partText)
    .map((text) => (joiner === "or" ? withField(text) : text))
    .join(` ${joiner} `);
}

/** Whether a line says something already. */
export const isComplete = (part: FilterPart): boolean =>
  part.type === "text" ? part.text.trim() !== "" : ALONE.includes(part.comparator) || part.value.trim() !== "";

/** Whether a comparator asks for a value. */
export const takesValue = (comparator: ComparatorName): boolean => !ALONE.includes(comparator);

function partText(part: FilterPart): string {
  if (part.type === "text") return part.text.trim();
  const { field, comparator, value } = part;
  return ALONE.includes(comparator)
    ? `${field} ${comparator}`
    : `${field} ${comparator} ${written(field, comparator, value.trim())}`;
}

/** A value as the language wants it: people leave quotes and slashes out. */
function written(field: FieldName, comparator: ComparatorName, value: string): string {
  if (comparator === "matches") return asPattern(value);
  // quotes make a phrase of it: they are kept where somebody wrote them, and set where words stand apart
  if (comparator === "has") return value.startsWith('"') || !/\s/.test(value) ? value : quoteIfNeeded(value);
  const { type } = fieldNamed(field)!;
  return ONE_VALUE.includes(comparator) && ["text", "exact", "choice", "sender"].includes(type)
    ? quoteIfNeeded(value)
    : value;
}

const asPattern = (value: string): string =>
  /^\/.*\/$/s.test(value) ? value : `/${value.replace(/(?<!\\)\//g, "\\/")}/`;

function partOf(item: Filter, text: string, context: ParseContext): FilterPart {
  const whole = { type: "text", text: textOf(item, text) } as const;
  if (item.type !== "compare" || item.field === "data" || isSaved(whole.text)) return whole;
  // a bare word is a comparison too, but has no field in its text
  const field = FIELDS.find((f) => f.name === item.field)!;
  const rest = afterWords(whole.text, field.name);
  if (rest === null) return whole;
  const found = comparatorsOf(field)
    .map((name) => ({ name, rest: afterWords(rest, name) }))
    .filter((c) => c.rest !== null)
    .sort((a, b) => b.name.length - a.name.length)[0];
  if (found === undefined) return whole;
  const part = {
    type: "comparison",
    field: field.name,
    comparator: found.name,
    value: found.name === "has" ? (found.rest ?? "") : unquoted(found.rest ?? ""),
  } as const;
  // shown in pieces only if the pieces say the same
  const again = parseFilter(partText(part), context);
  return again.ok && withoutSpans(again.filter) === withoutSpans(item) ? part : whole;
}

/** What follows the words of a name at the start of a text, or null when it does not start so. */
function afterWords(text: string, name: string): string | null {
  let rest = text;
  for (const word of name.split(" ")) {
    if (!rest.startsWith(word) || /^\S/.test(rest.slice(word.length))) return null;
    rest = rest.slice(word.length).trimStart();
  }
  return rest;
}

/** The text of a node; brackets are not in its span, so that they are set anew. */
function textOf(node: Filter, text: string): string {
  if (node.type === "everything") return "";
  const slice = sliceOf(node, text);
  if (node.type === "compare" || node.type === "after" || isSaved(slice)) return slice;
  if (node.type === "not") return `not ${textOf(node.item, text)}`;
  const items = node.items.map((item) => textOf(item, text));
  return `(${(node.type === "or" ? items.map(withField) : items).join(` ${node.type} `)})`;
}

/** A word or quoted text alone says its field where it would else be one more value of the comparison before an "or". */
const withField = (text: string): string =>
  /^(?:"(?:[^"\\]|\\.)*"|[^\s"()]+)$/s.test(text) ? `text has ${text}` : text;

const sliceOf = (node: Filter, text: string): string =>
  node.type === "everything" ? "" : text.slice(node.span.start, node.span.end).trim();

/** What a saved filter stands for has the span of its name. */
const isSaved = (slice: string): boolean => /^filter\s+"[^"]*"$/.test(slice);

const unquoted = (value: string): string =>
  /^"(?:[^"\\]|\\.)*"$/s.test(value) ? value.slice(1, -1).replace(/\\(.)/gs, "$1") : value;

const withoutSpans = (filter: Filter): string =>
  JSON.stringify(filter, (key, value: unknown) =>
    key === "span" ? undefined : typeof value === "bigint" ? `${value}n` : value,
  );
