import { parse } from "lossless-json";

/** Numbers that a double would alter: many digits, an exponent, a last zero behind the point. */
const ALTERED = /\d{16}|\d\.\d*0(?!\d)|\d[eE]/;

/**
 * JSON as it was written: numbers that a double cannot hold are their digits, as text.
 * @throws {SyntaxError} when it is no JSON
 */
export function parseExact(json: string): unknown {
  // a name of the language itself is a name like any other only to the parser that is built in
  if (!ALTERED.test(json) || json.includes("__proto__")) return JSON.parse(json);
  try {
    return parse(json, null, {
      parseNumber: (text) => (ALTERED.test(text) ? text : Number(text)),
      onDuplicateKey: ({ newValue }) => newValue,
    });
  } catch {
    // nested deeper than that parser goes; or no JSON, and then it is said in the usual words
    return JSON.parse(json);
  }
}
