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
 * Addresses standing alone in text, left to right, at most `most`. One pass: a run of digits, hex digits, dots and
 * colons is looked at only if the character before it could not belong to a longer word (`v1.2.3.4` is a version).
 */
export function findAddresses(text: string, most = 8): FoundAddress[] {
  const found: FoundAddress[] = [];
  const length = text.length;
  let i = 0;
  while (i < length && found.length < most) {
    const c = text.charCodeAt(i);
    if (!isHex(c) && c !== 58) {
      i++;
      continue;
    }
    const boundary = i === 0 || !isWord(text.charCodeAt(i - 1));
    let end = i;
    let dots = 0;
    let colons = 0;
    for (; end < length; end++) {
      const d = text.charCodeAt(end);
      if (d === 46) dots++;
      else if (d === 58) colons++;
      else if (!isHex(d)) break;
    }
    const ended = end === length || !isWord(text.charCodeAt(end));
    if (boundary && end - i >= 2) {
      if (dots >= 3 && colons <= 1 && (ended || colons === 1)) addIpv4(text, i, end, found);
      else if (colons >= 2 && ended) addIpv6(text, i, end, found);
    }
    i = Math.max(end, i + 1);
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
