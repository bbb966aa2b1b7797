import { parseNetwork } from "../../base/net/index.js";
import { actionOf } from "../../decode/firewall/index.js";
import { ACTIONS, type FieldType, field } from "../../model/record/index.js";
import type { FilterName } from "./fields.js";
import { SigmaRefusal } from "./refusal.js";

const quoted = (text: string): string => `"${text.replace(/["\\]/g, "\\$&")}"`;
export const written = (name: FilterName): string => ("field" in name ? name.field : `data ${quoted(name.data)}`);
const typeOf = (name: FilterName): FieldType => ("field" in name ? field(name.field).type : "text");

/** The modifiers that are understood; any other refuses the rule (specification 2.0.0, “Value modifiers”). */
const MODIFIERS = [
  "contains",
  "startswith",
  "endswith",
  "all",
  "re",
  "i",
  "cidr",
  "exists",
  "lt",
  "lte",
  "gt",
  "gte",
  "windash",
];
const SIGNS: Readonly<Record<string, string>> = { lt: "under", lte: "at most", gt: "over", gte: "at least" };
const DECIMAL = /^[-+]?(?:\d{1,9}\.\d{1,6}|\d{1,15})$/;
/** Signs that begin a switch where Windows reads one. */
const DASHES = ["-", "/", "\u2013", "\u2014", "\u2015"];

/** A part of a value: what is written, or a wildcard. */
type Part = string | { readonly wild: "*" | "?" };

/**
 * One field of a selection as a filter: any of its values, or all with `|all`.
 * @throws {SigmaRefusal} for a modifier or a value that would say less or more here
 */
export function comparison(name: FilterName, modifiers: readonly string[], value: unknown, at: string): string {
  for (const m of modifiers)
    if (!MODIFIERS.includes(m)) throw new SigmaRefusal(`the modifier “${m}” cannot be said here`, at);
  const values = Array.isArray(value) ? value : [value];
  if (values.length === 0) throw new SigmaRefusal("it has no values", at);
  const each = values.map((v) => one(name, modifiers, v, at));
  if (each.length === 1) return each[0]!;
  return `(${each.join(modifiers.includes("all") ? " and " : " or ")})`;
}

function one(name: FilterName, modifiers: readonly string[], value: unknown, at: string): string {
  const subject = written(name);
  const has = (m: string) => modifiers.includes(m);
  if (has("exists")) {
    if (typeof value !== "boolean") throw new SigmaRefusal("exists is true or false", at);
    return `${subject} ${value ? "present" : "missing"}`;
  }
  if (value === null) return `${subject} missing`;
  if (typeof value !== "string" && typeof value !== "number" && typeof value !== "boolean")
    throw new SigmaRefusal("a value is a text, a number, true, false or null", at);
  const text = String(value);
  const sign = modifiers.find((m) => Object.hasOwn(SIGNS, m));
  if (sign !== undefined) {
    const type = typeOf(name);
    // the number a named value begins with
    if ("data" in name) {
      if (!DECIMAL.test(text)) throw new SigmaRefusal("expected a number of at most 15 digits", at);
      return `${subject} ${SIGNS[sign]} ${text}`;
    }
    if (type !== "number" && type !== "port") throw new SigmaRefusal(`${subject} is no number here`, at);
    if (!/^\d{1,20}$/.test(text)) throw new SigmaRefusal("expected a whole number", at);
    return `${subject} ${SIGNS[sign]} ${text}`;
  }
  if (has("cidr")) {
    if (typeOf(name) !== "address") throw new SigmaRefusal(`${subject} is no address here`, at);
    if (parseNetwork(text) === null) throw new SigmaRefusal(`“${text}” is no block`, at);
    return `${subject} is ${text}`;
  }
  if (has("re")) {
    // letters are told apart there and not here: without its i it would find more
    if (!has("i") && typeOf(name) !== "exact")
      throw new SigmaRefusal("a pattern that tells capitals apart cannot be said here; with |re|i it can", at);
    return `${subject} matches /${text.replace(/(?<!\\)\//g, "\\/")}/`;
  }
  if ("field" in name && name.field === "action" && text !== "") {
    const action = modifiers.length === 0 ? actionOf(text) : null;
    if (action === null) throw new SigmaRefusal(`“${text}” is no decision here: ${ACTIONS.join(", ")}`, at);
    return `${subject} is ${action}`;
  }
  const around = (parts: readonly Part[]): readonly Part[] => [
    ...(has("contains") || has("endswith") ? [{ wild: "*" as const }] : []),
    ...parts,
    ...(has("contains") || has("startswith") ? [{ wild: "*" as const }] : []),
  ];
  const spellings = has("windash") ? dashed(text) : [text];
  const said = spellings.map((s) => equal(name, around(partsOf(s)), at));
  return said.length === 1 ? said[0]! : `(${said.join(" or ")})`;
}

/** Where a dash begins a word of it, each of the others too. */
function dashed(text: string): string[] {
  const all = DASHES.map((dash) => text.replace(/(^|\s)[-/](?=\S)/g, `$1${dash}`));
  return [...new Set(all)];
}

/** Wildcards, and what is written with a backslash before it (specification, “Escaping”). */
function partsOf(text: string): Part[] {
  const parts: Part[] = [];
  let plain = "";
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    const next = text[i + 1];
    if (c === "\\" && (next === "*" || next === "?" || next === "\\")) {
      plain += next;
      i++;
    } else if (c === "*" || c === "?") {
      if (plain !== "") parts.push(plain);
      plain = "";
      parts.push({ wild: c });
    } else plain += c;
  }
  if (plain !== "") parts.push(plain);
  return parts;
}

function equal(name: FilterName, parts: readonly Part[], at: string): string {
  const subject = written(name);
  const type = typeOf(name);
  const plain = parts.every((p) => typeof p === "string") ? parts.join("") : null;
  if (plain === "") {
    if ("field" in name) return `${subject} missing`;
    return `${subject} is ""`;
  }
  switch (type) {
    case "address":
    case "number":
    case "port":
    case "time":
    case "severity":
    case "choice":
    case "shape":
      if (plain === null) throw new SigmaRefusal(`${subject} takes whole values here, no wildcards`, at);
      if (type === "shape") throw new SigmaRefusal(`${subject} is numbered here alone`, at);
      if (type === "time") throw new SigmaRefusal(`${subject} cannot be compared so here`, at);
      return `${subject} is ${type === "address" ? plain : quoted(plain)}`.replace(/ is "(\d+)"$/, " is $1");
    case "sender":
    case "exact":
    case "text":
      break;
  }
  // letters are not told apart there
  const isExact = type === "exact";
  if (plain !== null) {
    if (isExact && plain.toLowerCase() !== plain.toUpperCase()) return `${subject} matches /(?i)^${escaped(plain)}$/`;
    return `${subject} is ${quoted(plain)}`;
  }
  if (type === "sender" && parts.some((p) => typeof p === "string" && /[*?]/.test(p)))
    throw new SigmaRefusal(`${subject} is not asked for with a star that is itself one here`, at);
  // a star or question mark that is itself one, and letters of an exact field, need a pattern
  const isLiteral = parts.some((p) => typeof p === "string" && /[*?]/.test(p));
  if (!isLiteral && !isExact)
    return `${subject} like ${quoted(parts.map((p) => (typeof p === "string" ? p : p.wild)).join(""))}`;
  const source = parts
    .map((p) => (typeof p === "string" ? escaped(p) : p.wild === "*" ? "[\\s\\S]*" : "[\\s\\S]"))
    .join("");
  return `${subject} matches /${isExact ? "(?i)" : ""}^${source}$/`;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&");
