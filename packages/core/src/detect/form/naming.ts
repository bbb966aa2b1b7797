import { type FieldName, fieldNamed } from "../../model/record/index.js";
import type { Draft } from "../kinds/piece.js";

const MOST_ID = 63;

/**
 * What a rule of a name is filed under: lower-case letters, digits and hyphens; `rule` where the name has none of them.
 * @param taken ids of others: then with the next number that is free
 */
export function ruleIdOf(name: string, taken: readonly string[] = []): string {
  const id = slugOf(name);
  if (!taken.includes(id)) return id;
  for (let n = 2; ; n++) {
    const numbered = `${id.slice(0, MOST_ID - String(n).length - 1)}-${n}`;
    if (!taken.includes(numbered)) return numbered;
  }
}

const slugOf = (name: string): string =>
  name
    .toLowerCase()
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .replace(/[^a-z0-9]+/g, "-")
    .slice(0, MOST_ID)
    .replace(/^-+|-+$/g, "") || "rule";

/** The word before a value in a title. */
const BEFORE: Partial<Record<FieldName, string>> = {
  sender: "on",
  host: "on",
  src: "from",
  address: "from",
  dst: "to",
  user: "as",
};

/** A title for what a rule raises, made of its name and of what its records have in common: `Refused logons from {src} on {sender}`. */
export function titleOf({ name, kind, key, count }: Draft): string {
  const fields = (Array.isArray(key) ? key : []).map(String).filter((f) => fieldNamed(f) !== undefined);
  const values = fields.map((f) => (BEFORE[f as FieldName] ? ` ${BEFORE[f as FieldName]} {${f}}` : `, ${f} {${f}}`));
  const times = kind === "count" && Number(count) > 1 ? "{count} × " : "";
  return `${times}${String(name ?? "")}${values.join("")}`.slice(0, 200);
}
