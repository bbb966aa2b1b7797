import { FIELDS, type FieldType } from "../../model/record/index.js";
import { FormatError } from "./form.js";
import { VALUE_TYPES, type ValueType } from "./value-types.js";

/** What a value is called and what it is. */
export interface Named {
  /** A field of records, or a name of its own among the named values; "": it is passed over. */
  readonly name: string;
  readonly type: ValueType;
}

const TYPE_OF: Readonly<Partial<Record<FieldType, ValueType>>> = {
  address: "address",
  port: "port",
  number: "number",
  severity: "word",
  choice: "word",
};

const byName = new Map<string, FieldType>(FIELDS.map((f) => [f.name, f.type]));

/** What a name's value is where nobody said. A protocol is a number or a word. */
export const usualType = (name: string): ValueType =>
  name === "protocol" ? "word" : (TYPE_OF[byName.get(name) ?? "text"] ?? "text");

/** Reads `name`, `name:type`, `:type` or nothing. @throws {FormatError} for a type there is none of */
export function readName(said: string): Named {
  const colon = said.lastIndexOf(":");
  const name = (colon < 0 ? said : said.slice(0, colon)).trim();
  if (colon < 0) return { name, type: usualType(name) };
  const type = said.slice(colon + 1).trim();
  if (!(VALUE_TYPES as readonly string[]).includes(type))
    throw new FormatError(`{${said}}: expected a type of ${VALUE_TYPES.join(", ")}, got "${type}"`);
  return { name, type: type as ValueType };
}
