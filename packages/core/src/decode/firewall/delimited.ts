import { emptyDecision, type FirewallDecision } from "./decision.js";
import { setByName } from "./names.js";

const HEADER = /\bLEEF:(?:1|2)(?:\.0)?\|/;
/** Of a header's parts the first are who made what in which version, and the event's name. */
const PARTS = 4;
/** The delimiter of version 2 is a part of its own: one sign, or its number (`0x5E`, `x5E`). */
const DELIMITER = /^(?:([^|\w\s])|0?x([\da-fA-F]{2,4}))\|/;
const MOST_PAIRS = 200;

export const mayBeDelimited = (text: string): boolean => text.includes("LEEF:");

/**
 * A decision told as `name=value` pairs behind a header in bars, with a delimiter of its own between them, so that values hold blanks: a
 * tab, or with version 2 what the header says (`LEEF:2.0|maker|product|version|event|^|`; open format description, from memory). Null:
 * it has no verdict that is known, or no end.
 */
export function readDelimited(text: string): FirewallDecision | null {
  const header = HEADER.exec(text);
  if (header === null) return null;
  let at = header.index + header[0].length;
  for (let part = 0; part < PARTS; part++) {
    const bar = text.indexOf("|", at);
    if (bar < 0) return null;
    at = bar + 1;
  }
  const own = DELIMITER.exec(text.slice(at, at + 8));
  const delimiter = own === null ? "\t" : (own[1] ?? String.fromCharCode(Number.parseInt(own[2]!, 16)));
  const f = emptyDecision("delimited");
  for (const pair of text.slice(at + (own?.[0].length ?? 0)).split(delimiter, MOST_PAIRS)) {
    const equals = pair.indexOf("=");
    if (equals > 0) setByName(f, pair.slice(0, equals).trim(), pair.slice(equals + 1).trim());
  }
  return f.action !== null && (f.src !== null || f.dst !== null) ? f : null;
}
