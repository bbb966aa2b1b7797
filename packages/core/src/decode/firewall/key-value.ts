import { emptyDecision, type FirewallDecision } from "./decision.js";
import { isEndName, setByName } from "./names.js";

const MAX_PAIRS = 100;

/** What a pair in quotes begins with: words in quotes may speak of addresses without being the decision's own. */
const QUOTED_PAIR = /(?:^|[\s,;])([\w.-]{1,64})=([^\s,;"']{1,64})/g;

interface Pair {
  readonly name: string;
  readonly value: string;
  readonly isQuoted: boolean;
  /** Where the value begins. */
  readonly at: number;
}

/**
 * Pairs `name=value`, separated by spaces, tabs, commas or semicolons; the value plain, in double quotes or in single ones, where a backslash
 * takes the sign after it as it is. A single quote that nothing closes is a sign like others, a double one goes to the end.
 */
export function* readPairs(text: string): Generator<Pair> {
  let at = 0;
  for (let pairs = 0; pairs < MAX_PAIRS; ) {
    const equals = text.indexOf("=", at);
    if (equals < 0) return;
    let start = equals;
    while (start > at && isName(text.charCodeAt(start - 1))) start--;
    const quoted = readQuoted(text, equals + 1);
    let end = quoted?.end ?? equals + 1;
    if (quoted === null) while (end < text.length && !isSeparator(text.charCodeAt(end))) end++;
    if (start < equals) {
      pairs++;
      const value = quoted?.value ?? text.slice(equals + 1, end);
      yield { name: text.slice(start, equals), value, isQuoted: quoted !== null, at: equals + 1 };
    }
    at = end;
  }
}

/** @returns the value between quotes, and where what follows it begins; null when `at` begins none */
function readQuoted(text: string, at: number): { readonly value: string; readonly end: number } | null {
  const quote = text[at];
  if (quote !== '"' && quote !== "'") return null;
  let value = "";
  let from = at + 1;
  for (let i = from; i < text.length; i++) {
    if (text[i] === "\\" && (text[i + 1] === quote || text[i + 1] === "\\")) {
      value += text.slice(from, i);
      from = ++i;
    } else if (text[i] === quote && (quote === '"' || i + 1 === text.length || isSeparator(text.charCodeAt(i + 1))))
      return { value: value + text.slice(from, i), end: i + 1 };
  }
  // a line may have been cut within its quotes: what stands there is still not the line's own
  return quote === '"' ? { value: value + text.slice(from), end: text.length } : null;
}

/** Space, tab, comma, semicolon. */
const isSeparator = (c: number): boolean => c === 32 || c === 9 || c === 44 || c === 59;

/** Letters, digits, underscore, hyphen, dot. */
const isName = (c: number): boolean =>
  (c >= 97 && c <= 122) || (c >= 65 && c <= 90) || (c >= 48 && c <= 57) || c === 95 || c === 45 || c === 46;

/**
 * A decision told in structured data (RFC 5424 section 6.3), by the names that pairs in a text have; what else is said there is data as it
 * is. Null: it has no verdict that is known, or no end.
 * @param data names with the identifier of their element before them
 */
export function readStructured(data: readonly (readonly [name: string, value: string])[]): FirewallDecision | null {
  const f = emptyDecision("key=value");
  for (const [name, value] of data) if (value !== "") setByName(f, name.slice(name.lastIndexOf(" ") + 1), value);
  f.data = [];
  return f.action !== null && (f.src !== null || f.dst !== null) ? f : null;
}

/**
 * A decision told in `key=value` pairs: it has a verdict that is known, and a source or destination. The first pair of a name is meant.
 * Who can put words into a field (a URL, a user's name) may write pairs of their own there: an end of the connection that is said twice, or
 * said otherwise in quotes, is a problem for people to look at.
 */
export function readKeyValue(text: string): FirewallDecision | null {
  const f = emptyDecision("key=value");
  const ends = new Map<string, string>();
  const quoted: { readonly name: string; readonly value: string; readonly at: number }[] = [];
  const contradiction = (name: string, value: string, at: number): void => {
    const said = ends.get(name.toLowerCase());
    if (said === undefined || said === value || f.problem !== null) return;
    const message = `${name}: expected ${said} as the line says elsewhere, got ${value}`.slice(0, 300);
    f.problem = { code: "BAD_VALUE", offset: at, message };
  };
  for (const { name, value, isQuoted, at } of readPairs(text)) {
    if (value === "") continue;
    if (isEndName(name)) {
      contradiction(name, value, at);
      if (!ends.has(name.toLowerCase())) ends.set(name.toLowerCase(), value);
    } else if (isQuoted && value.includes("="))
      for (const [, inner, said] of value.matchAll(QUOTED_PAIR))
        if (isEndName(inner!)) quoted.push({ name: inner!, value: said!, at });
    setByName(f, name, value);
  }
  for (const { name, value, at } of quoted) contradiction(name, value, at);
  return f.action !== null && (f.src !== null || f.dst !== null) ? f : null;
}
