/** Shorter texts fold faster than they are compared with the last one. */
const WORTH_KEEPING = 32;
let lastText = "";
let lastFolded = "";

/** The one case fold: ASCII letters only, the same as SQL's `lower(x collate "C")` (`semantics.md` 16). */
export function fold(text: string): string {
  // many rules ask for words of one message, one after the other
  if (text === lastText) return lastFolded;
  const folded = /[A-Z]/.test(text) ? text.replace(/[A-Z]+/g, (s) => s.toLowerCase()) : text;
  if (text.length > WORTH_KEEPING) {
    lastText = text;
    lastFolded = folded;
  }
  return folded;
}

/** Characters of words: ASCII letters, digits, underscore, and everything beyond ASCII. */
export const isWordCode = (c: number): boolean =>
  (c >= 48 && c <= 57) || (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95 || c >= 128;

/**
 * Whether folded `text` holds folded `word` as a whole word: the characters around it do not continue a word that its
 * own ends are part of. `edge` "start" asks that of its beginning only.
 */
export function hasWord(text: string, word: string, edge: "both" | "start"): boolean {
  const startsInWord = isWordCode(word.charCodeAt(0));
  const endsInWord = isWordCode(word.charCodeAt(word.length - 1));
  for (let at = text.indexOf(word); at >= 0; at = text.indexOf(word, at + 1)) {
    const end = at + word.length;
    const freeBefore = at === 0 || !startsInWord || !isWordCode(text.charCodeAt(at - 1));
    const freeAfter = edge === "start" || end === text.length || !endsInWord || !isWordCode(text.charCodeAt(end));
    if (freeBefore && freeAfter) return true;
  }
  return false;
}

/** Whether `text` as a whole is like `pattern`: `*` any characters, `?` one. At most text × pattern steps. */
export function isLike(text: string, pattern: string): boolean {
  const t = [...text];
  const p = [...pattern];
  let i = 0;
  let j = 0;
  let star = -1;
  let resume = 0;
  while (i < t.length) {
    if (j < p.length && p[j] === "*") {
      star = j++;
      resume = i;
    } else if (j < p.length && (p[j] === "?" || p[j] === t[i])) {
      i++;
      j++;
    } else if (star >= 0) {
      j = star + 1;
      i = ++resume;
    } else return false;
  }
  while (p[j] === "*") j++;
  return j === p.length;
}
