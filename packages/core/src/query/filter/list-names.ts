const NAMED = /\blist\s+("[^"\\]*"(?:\s*(?:,|or)\s*"[^"\\]*")*)/giu;

/** Names of the lists that a text names, whether or not it is understood as a filter. */
export const listNames = (source: string): string[] =>
  [...source.matchAll(NAMED)].flatMap((m) => [...m[1]!.matchAll(/"([^"]*)"/gu)].map((n) => n[1]!));
