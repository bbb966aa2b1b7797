/**
 * Characters of words by Unicode category: letters, digits, what joins (`_`), marks that sit on letters. Punctuation, symbols,
 * emoji and invisible marks of direction part words, however they are written. Variation selectors choose the look of a symbol and
 * belong to no word.
 */
const WORD = /^[\p{L}\p{N}\p{Pc}\p{Mn}\p{Mc}]$/u;
const VARIATION = /^[\u180b-\u180f\ufe00-\ufe0f\u{e0100}-\u{e01ef}]$/u;
const decide = (character: string): boolean => WORD.test(character) && !VARIATION.test(character);

/** Verdicts for single code units, made when first asked for. */
const UNKNOWN = 0;
const YES = 1;
const NO = 2;
const known = new Uint8Array(0x1_0000).fill(UNKNOWN);
for (let c = 0; c < 128; c++) known[c] = decide(String.fromCharCode(c)) ? YES : NO;

/** Whether the character at a place of a text (in UTF-16 units, either half of a pair) is of a word. */
export function isWordAt(text: string, at: number): boolean {
  const c = text.charCodeAt(at);
  const verdict = known[c];
  if (verdict === YES) return true;
  if (verdict !== UNKNOWN) return false;
  if (c >= 0xd800 && c <= 0xdfff) {
    const point = text.codePointAt(c >= 0xdc00 ? at - 1 : at) ?? 0;
    return point > 0xffff && decide(String.fromCodePoint(point));
  }
  const found = decide(String.fromCharCode(c));
  known[c] = found ? YES : NO;
  return found;
}

/**
 * Whether folded `text` holds folded `word` as a whole word: the characters around it do not continue a word that its
 * own ends are part of. `edge` "start" asks that of its beginning only.
 */
export function hasWord(text: string, word: string, edge: "both" | "start"): boolean {
  const startsInWord = isWordAt(word, 0);
  const endsInWord = isWordAt(word, word.length - 1);
  for (let at = text.indexOf(word); at >= 0; at = text.indexOf(word, at + 1)) {
    const end = at + word.length;
    const freeBefore = at === 0 || !startsInWord || !isWordAt(text, at - 1);
    const freeAfter = edge === "start" || end === text.length || !endsInWord || !isWordAt(text, end);
    if (freeBefore && freeAfter) return true;
  }
  return false;
}
