/** Shorter texts fold faster than they are compared with the last one. */
const WORTH_KEEPING = 32;
let lastText = "";
let lastFolded = "";

/** The one case fold: ASCII letters only, the same as SQL's `lower(x collate "C")` (`docs/semantics.md` 16). */
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
