import { canonicalAddress, isIpv4 } from "./address.js";

/** An address found in text, with its place. */
export interface FoundAddress {
  readonly address: string;
  readonly start: number;
  readonly end: number;
}

const isHex = (c: number) => (c >= 48 && c <= 57) || (c >= 65 && c <= 70) || (c >= 97 && c <= 102);
const isWord = (c: number) =>
  (c >= 48 && c <= 57) || (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95 || c === 46 || c === 45 || c > 127;

/**
 * Addresses standing alone in text, left to right, at most `most`. Every address has a dot or a colon: from each the run of
 * digits, hex digits, dots and colons around it is looked at, once, and only if the characters beside it could not belong
 * to a longer word (`v1.2.3.4` is a version).
 */
export function findAddresses(text: string, most = 8): FoundAddress[] {
  const found: FoundAddress[] = [];
  const length = text.length;
  let done = 0;
  for (let i = 0; i < length && found.length < most; i++) {
    const c = text.charCodeAt(i);
    if (c !== 46 && c !== 58) continue;
    let start = i;
    while (start > done && isHex(text.charCodeAt(start - 1))) start--;
    let end = i;
    let dots = 0;
    let colons = 0;
    for (; end < length; end++) {
      const d = text.charCodeAt(end);
      if (d === 46) dots++;
      else if (d === 58) colons++;
      else if (!isHex(d)) break;
    }
    if (dots + colons >= 2 && (start === 0 || !isWord(text.charCodeAt(start - 1)))) {
      const ended = end === length || !isWord(text.charCodeAt(end));
      if (dots >= 3 && colons <= 1 && (ended || colons === 1)) addIpv4(text, start, end, found);
      else if (colons >= 2 && ended) addIpv6(text, start, end, found);
    }
    done = end;
    i = end;
  }
  return found;
}

function addIpv4(text: string, start: number, runEnd: number, found: FoundAddress[]): void {
  let end = runEnd;
  const colon = text.indexOf(":", start);
  if (colon >= 0 && colon < end) end = colon;
  while (end > start && text.charCodeAt(end - 1) === 46) end--;
  const candidate = text.slice(start, end);
  if (isIpv4(candidate)) found.push({ address: candidate, start, end });
}

function addIpv6(text: string, start: number, runEnd: number, found: FoundAddress[]): void {
  let end = runEnd;
  while (end > start && (text[end - 1] === "." || (text[end - 1] === ":" && text[end - 2] !== ":"))) end--;
  const candidate = text.slice(start, end);
  // "12:34:56" is a clock time and "::" alone a separator; neither is an address.
  if (candidate === "::") return;
  const address = canonicalAddress(candidate);
  if (address !== null) found.push({ address, start, end });
}
