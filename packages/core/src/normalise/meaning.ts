import { type FoundAddress, findAddresses } from "../base/net/index.js";
import type { PhraseTable } from "../meaning/index.js";
import type { Category, Outcome, Severity } from "../model/record/index.js";

/** What a message is about and the things it names. */
export interface FoundMeaning {
  readonly category: Category;
  readonly outcome: Outcome;
  /** Where a person has set one for such messages. */
  readonly severity: Severity | null;
  readonly users: readonly string[];
  readonly src: string | null;
  readonly srcPort: number | null;
  readonly interface: string | null;
  readonly otherAddresses: readonly string[];
}

/** Finds what a message means by its phrases, and picks out the addresses, users and interfaces it names. */
export function findMeaning(app: string | null, text: string, phrases: PhraseTable): FoundMeaning {
  const addresses = mayHoldAddress(text) ? findAddresses(text) : [];
  const row = phrases.find(app, text);
  if (row === undefined)
    return {
      category: "other",
      outcome: "unknown",
      severity: null,
      users: [],
      src: null,
      srcPort: null,
      interface: null,
      otherAddresses: others(addresses, null),
    };
  const src = row.src === undefined ? null : addressAfter(text, row.src, addresses);
  const user = row.user === undefined ? null : wordAfter(text, row.user);
  return {
    category: row.category,
    outcome: row.outcome,
    severity: row.severity ?? null,
    users: user === null ? [] : [user],
    src,
    srcPort: row.srcPort === undefined || src === null ? null : portAfter(text, row.srcPort),
    interface: row.interface === undefined ? null : wordAfter(text, row.interface),
    otherAddresses: others(addresses, src),
  };
}

/** Every address has two dots or two colons; most texts have neither, and need no scan. */
function mayHoldAddress(text: string): boolean {
  const dot = text.indexOf(".");
  if (dot >= 0 && text.indexOf(".", dot + 1) >= 0) return true;
  const colon = text.indexOf(":");
  return colon >= 0 && text.indexOf(":", colon + 1) >= 0;
}

function others(addresses: readonly FoundAddress[], src: string | null): readonly string[] {
  if (addresses.length === 0) return [];
  const out: string[] = [];
  for (const { address } of addresses) if (address !== src && !out.includes(address)) out.push(address);
  return out;
}

function addressAfter(text: string, markers: readonly string[], addresses: readonly FoundAddress[]): string | null {
  for (const marker of markers) {
    const at = text.indexOf(marker);
    if (at < 0) continue;
    const start = at + marker.length;
    const hit = addresses.find((a) => a.start === start);
    if (hit) return hit.address;
  }
  return null;
}

function wordAfter(text: string, markers: readonly string[]): string | null {
  for (const marker of markers) {
    const at = text.indexOf(marker);
    if (at < 0) continue;
    let start = at + marker.length;
    while (text.charCodeAt(start) === 32 || text.charCodeAt(start) === 39) start++;
    let end = start;
    for (; end < text.length; end++) {
      const c = text.charCodeAt(end);
      if (c <= 32 || c === 34 || c === 39 || c === 40 || c === 41 || c === 44 || c === 59 || c === 58) break;
    }
    if (end > start && end - start <= 128) return text.slice(start, end);
  }
  return null;
}

function portAfter(text: string, markers: readonly string[]): number | null {
  const word = wordAfter(text, markers);
  if (word === null || word.length > 5) return null;
  const port = Number(word);
  return Number.isInteger(port) && port >= 0 && port <= 65_535 ? port : null;
}
