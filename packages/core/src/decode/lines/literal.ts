const BLANK = 32;

/** Text of a template that stands in every line, as it is but for its blanks: where one stands or several, a line has one or several. */
export interface Literal {
  readonly literal: string;
  /** What stands between blanks; the first or the last is empty where blanks begin or end it. */
  readonly words: readonly string[];
}

export const literalFrom = (literal: string): Literal => ({ literal, words: literal.split(/ +/) });

/** Where it ends in a text that has it at a place, all blanks behind it included if it ends in one; -1: it does not stand there. */
export function endOfLiteral({ literal, words }: Literal, text: string, at: number): number {
  if (words.length === 1) return text.startsWith(literal, at) ? at + literal.length : -1;
  // most lines have as many blanks
  if (text.startsWith(literal, at)) {
    const end = at + literal.length;
    return words[words.length - 1] === "" ? behindBlanks(text, end) : end;
  }
  return endOfWords(words, 0, text, at);
}

/** Where it stands for the first time from a place on, all blanks before it included if it begins with one; -1: nowhere. Linear in the text. */
export function startOfLiteral({ literal, words }: Literal, text: string, from: number): number {
  if (words.length === 1) return text.indexOf(literal, from);
  const first = words[0] === "" ? 1 : 0;
  const word = words[first]!;
  // nothing but blanks
  if (word === "") return text.indexOf(" ", from);
  for (let at = text.indexOf(word, from + first); at >= 0; at = text.indexOf(word, at + 1)) {
    if (first === 1 && text.charCodeAt(at - 1) !== BLANK) continue;
    if (endOfWords(words, first, text, at) < 0) continue;
    while (first === 1 && at > from && text.charCodeAt(at - 1) === BLANK) at--;
    return at;
  }
  return -1;
}

function endOfWords(words: readonly string[], first: number, text: string, from: number): number {
  let at = from;
  for (let i = first; i < words.length; i++) {
    if (i > first) {
      if (text.charCodeAt(at) !== BLANK) return -1;
      at = behindBlanks(text, at);
    }
    if (!text.startsWith(words[i]!, at)) return -1;
    at += words[i]!.length;
  }
  return at;
}

function behindBlanks(text: string, from: number): number {
  let at = from;
  while (text.charCodeAt(at) === BLANK) at++;
  return at;
}
