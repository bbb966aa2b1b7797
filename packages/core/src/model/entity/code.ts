/** What findings and incidents name: a field of records and one of its values, of the field `sender` its id. */
export interface FieldEntity {
  readonly field: string;
  readonly value: string;
}

/** Cannot occur in decoded text that was typed. */
const SEPARATOR = "\u0001";

/** How an entity is kept, compared and sent to the database: one text. */
export const entityCode = (field: string, value: string): string => `${field}${SEPARATOR}${value}`;

/** Whether a text is one: beside entities, what is new in an incident may be said in words. */
export const isEntityCode = (text: string): boolean => text.includes(SEPARATOR);

export function readEntity(code: string): FieldEntity {
  const at = code.indexOf(SEPARATOR);
  return at < 0 ? { field: "", value: code } : { field: code.slice(0, at), value: code.slice(at + SEPARATOR.length) };
}

/** The values of one field among entities, in their order. */
export const valuesOfField = (codes: readonly string[], field: string): string[] => {
  const prefix = entityCode(field, "");
  return codes.flatMap((c) => (c.startsWith(prefix) ? [c.slice(prefix.length)] : []));
};
