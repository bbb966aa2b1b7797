import { isWordAt } from "../filter/index.js";

/** Longer values are kept by their beginning; what asks for one has to look at the record. */
const MAX_LENGTH = 96;
const CLIPPED = "\u0001";

/** A value as terms hold it. */
export const clip = (value: string): string =>
  value.length > MAX_LENGTH ? `${value.slice(0, MAX_LENGTH)}${CLIPPED}` : value;
export const isClipped = (value: string): boolean => value.length > MAX_LENGTH;

/** Words of folded text: longest runs of word characters, and dotted quads, which words alone would find everywhere. */
export function eachWord(text: string, visit: (word: string) => void): void {
  const { length } = text;
  // starts of the last four numbers joined by single dots, the newest last
  let numbers: number[] = [];
  for (let at = 0; at < length; ) {
    if (!isWordAt(text, at)) {
      at++;
      continue;
    }
    const start = at;
    let digits = true;
    for (; at < length; at++) {
      if (!isWordAt(text, at)) break;
      const code = text.charCodeAt(at);
      if (code < 48 || code > 57) digits = false;
    }
    visit(clip(text.slice(start, at)));
    if (!digits || at - start > 3) {
      numbers = [];
      continue;
    }
    numbers =
      numbers.length > 0 && text[start - 1] === "." && isWordAt(text, start - 2) ? [...numbers, start] : [start];
    if (numbers.length === 4) {
      visit(text.slice(numbers[0], at));
      numbers = numbers.slice(1);
    }
  }
}
