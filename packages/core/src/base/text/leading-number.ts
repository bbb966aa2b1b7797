/**
 * The number a value begins with, where nothing or a unit follows: `12.5`, `-3 °C`, `200 ms`, `45%`; six decimals of more. Its digits fit a double exactly.
 * The store asks the same of it (`LEADING_NUMBER_SQL`). @returns null where it is none: an address, a version, a longer count
 */
export function leadingNumber(text: string): number | null {
  const found = /^([-+]?(?:\d{1,9}\.\d{1,6}\d{0,20}|\d{1,15}))(?:$|[ %°a-zA-Z])/.exec(text);
  return found === null ? null : Number(/^[^.]*(?:\.\d{1,6})?/.exec(found[1]!)![0]);
}

/** The same for PostgreSQL: `substring(value from …)::numeric`. */
export const LEADING_NUMBER_SQL =
  "^([-+]?(?:[0-9]{1,9}[.][0-9]{1,6}|[0-9]{1,15}(?![0-9.])))[0-9]{0,20}(?:$|[ %°a-zA-Z])";
