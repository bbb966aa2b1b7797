/** Where to end a text at most: not within a character, and so one before where half of a surrogate pair would stand at the end. */
export function wholeUpTo(text: string, most: number): number {
  if (most <= 0 || most >= text.length) return Math.min(most, text.length);
  const last = text.charCodeAt(most - 1);
  return last >= 0xd800 && last <= 0xdbff ? most - 1 : most;
}

/** The first characters (UTF-16 units) of a text, none of them half of one. */
export const cutText = (text: string, most: number): string =>
  most >= text.length ? text : text.slice(0, wholeUpTo(text, most));
