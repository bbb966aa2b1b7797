import { canonicalAddress } from "../../base/net/index.js";

/** What a value can be. `pairs` and `json`: what stands there is read on. */
export const VALUE_TYPES = ["text", "word", "number", "address", "port", "mac", "quoted", "pairs", "json"] as const;
export type ValueType = (typeof VALUE_TYPES)[number];

/** What each is called when it was expected and something else stood there. */
export const TYPE_WORDS: Readonly<Record<ValueType, string>> = {
  text: "some text",
  word: "a word",
  number: "a number",
  address: "an address",
  port: "a port",
  mac: "a hardware address",
  quoted: "something in quotes",
  pairs: "name=value pairs",
  json: "JSON",
};

const isDigit = (c: number): boolean => c >= 48 && c <= 57;
const isBlank = (c: number): boolean => c === 32 || c === 9;
const isHex = (c: number): boolean => isDigit(c) || (c >= 97 && c <= 102) || (c >= 65 && c <= 70);
const MAC = /^(?:[0-9a-f]{2}[:-]){5}[0-9a-f]{2}$|^(?:[0-9a-f]{4}\.){2}[0-9a-f]{4}$/i;

/** Where the number that begins at `at` ends: digits, perhaps a sign and a fraction; -1: none does. */
export function endOfNumber(text: string, at: number): number {
  let i = at;
  const sign = text.charCodeAt(i);
  if (sign === 45 || sign === 43) i++;
  const first = i;
  while (i < text.length && isDigit(text.charCodeAt(i))) i++;
  if (i === first) return -1;
  if (text[i] === "." && isDigit(text.charCodeAt(i + 1))) {
    i++;
    while (i < text.length && isDigit(text.charCodeAt(i))) i++;
  }
  return i;
}

/** The longest address that is written: IPv6 with an IPv4 end, and a zone of an interface. */
const MAX_ADDRESS = 64;

/** Where the address that begins at `at` ends. What stands behind it may look like more of it: a port after a colon or a dot. */
export function endOfAddress(text: string, at: number): number {
  let end = at;
  while (end < text.length && end - at < MAX_ADDRESS && (isHex(text.charCodeAt(end)) || ":.".includes(text[end]!)))
    end++;
  let run = text.slice(at, end);
  for (let cuts = 0; cuts < 3 && run !== ""; cuts++) {
    if (canonicalAddress(run) !== null) return at + run.length;
    run = run.slice(0, Math.max(run.lastIndexOf(":"), run.lastIndexOf("."), 0));
  }
  return -1;
}

export function endOfMac(text: string, at: number): number {
  for (const length of [17, 14]) if (MAC.test(text.slice(at, at + length))) return at + length;
  return -1;
}

/** Behind the closing quote; a backslash takes the next sign as it is. */
export function endOfQuoted(text: string, at: number): number {
  const quote = text[at];
  if (quote !== '"' && quote !== "'") return -1;
  for (let i = at + 1; i < text.length; i++) {
    if (text[i] === "\\") i++;
    else if (text[i] === quote) return i + 1;
  }
  return -1;
}

export function endOfWord(text: string, at: number): number {
  let i = at;
  while (i < text.length && !isBlank(text.charCodeAt(i))) i++;
  return i === at ? -1 : i;
}

/** What stands between quotes. */
export const unquoted = (text: string): string => text.slice(1, -1).replace(/\\(.)/g, "$1");

/** Whether a whole value is of its type; what is read on is judged by its own form. */
export function isOfType(type: ValueType, value: string): boolean {
  switch (type) {
    case "number":
      return endOfNumber(value, 0) === value.length;
    case "address":
      return canonicalAddress(value) !== null;
    case "port":
      return /^\d{1,5}$/.test(value) && Number(value) <= 65_535;
    case "mac":
      return MAC.test(value);
    case "word":
      return endOfWord(value, 0) === value.length;
    default:
      return true;
  }
}
