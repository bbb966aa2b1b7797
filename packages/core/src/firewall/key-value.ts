import { emptyDecision, type FirewallDecision } from "./decision.js";
import { setByName } from "./names.js";

const MAX_PAIRS = 100;

/** Pairs `name=value` with optional double quotes, separated by spaces or commas. */
export function* readPairs(text: string): Generator<readonly [name: string, value: string]> {
  let at = 0;
  for (let pairs = 0; pairs < MAX_PAIRS; ) {
    const equals = text.indexOf("=", at);
    if (equals < 0) return;
    let start = equals;
    while (start > at && isName(text.charCodeAt(start - 1))) start--;
    let value: string;
    let end: number;
    if (text[equals + 1] === '"') {
      const quote = text.indexOf('"', equals + 2);
      end = quote < 0 ? text.length : quote;
      value = text.slice(equals + 2, end);
      end++;
    } else {
      end = equals + 1;
      while (
        end < text.length &&
        text.charCodeAt(end) !== 32 &&
        text.charCodeAt(end) !== 44 &&
        text.charCodeAt(end) !== 59
      )
        end++;
      value = text.slice(equals + 1, end);
    }
    if (start < equals) {
      pairs++;
      yield [text.slice(start, equals), value];
    }
    at = end;
  }
}

/** Letters, digits, underscore, hyphen, dot. */
const isName = (c: number): boolean =>
  (c >= 97 && c <= 122) || (c >= 65 && c <= 90) || (c >= 48 && c <= 57) || c === 95 || c === 45 || c === 46;

/** A decision told in `key=value` pairs: it has a verdict that is known, and a source or destination. */
export function readKeyValue(text: string): FirewallDecision | null {
  const f = emptyDecision("key=value");
  for (const [name, value] of readPairs(text)) if (value !== "") setByName(f, name, value);
  return f.action !== null && (f.src !== null || f.dst !== null) ? f : null;
}
