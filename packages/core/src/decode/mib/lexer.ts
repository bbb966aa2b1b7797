import { MibError } from "./mib-error.js";

export interface Token {
  readonly kind: "name" | "number" | "string" | "symbol" | "end";
  readonly text: string;
  readonly line: number;
  readonly column: number;
}

const MAX_TOKENS = 500_000;

/**
 * Tokens of a module (ASN.1 as RFC 2578 section 3 limits it). A comment runs from `--` to the end of its line or the next
 * `--`; widely used modules close comments in the line's middle seldom and write rows of hyphens often, so rows of them are one.
 */
export function tokenize(text: string): Token[] {
  const out: Token[] = [];
  let line = 1;
  let lineStart = 0;
  let at = 0;
  const push = (kind: Token["kind"], value: string, start: number) => {
    if (out.length >= MAX_TOKENS) throw new MibError("BAD_TOKEN", line, 1, `expected at most ${MAX_TOKENS} tokens`);
    out.push({ kind, text: value, line, column: start - lineStart + 1 });
  };
  while (at < text.length) {
    const c = text.charCodeAt(at);
    if (c === 10) {
      line++;
      at++;
      lineStart = at;
    } else if (c === 32 || c === 9 || c === 13 || c === 12 || c === 0xfeff) at++;
    else if (c === 45 && text.charCodeAt(at + 1) === 45) {
      const end = text.indexOf("\n", at);
      const stop = end < 0 ? text.length : end;
      let close = at + 2;
      while (close < stop && text[close] === "-") close++;
      const next = text.indexOf("--", close);
      at =
        next >= 0 &&
        next < stop &&
        text.slice(next + 2, stop).trim() !== "" &&
        !text.slice(next + 2, stop).includes("--")
          ? next + 2
          : stop;
    } else if (c === 34) {
      const start = at;
      const end = text.indexOf('"', at + 1);
      if (end < 0) throw new MibError("BAD_TOKEN", line, at - lineStart + 1, 'expected the closing "');
      const value = text.slice(at + 1, end);
      push("string", value, start);
      for (let i = 0; i < value.length; i++)
        if (value.charCodeAt(i) === 10) {
          line++;
          lineStart = start + 1 + i + 1;
        }
      at = end + 1;
    } else if (c === 39) {
      const end = text.indexOf("'", at + 1);
      const line1 = text.indexOf("\n", at);
      if (end < 0 || (line1 >= 0 && line1 < end))
        throw new MibError("BAD_TOKEN", line, at - lineStart + 1, "expected the closing '");
      push("number", text.slice(at, end + 2), at);
      at = end + 2;
    } else if (isLetter(c)) {
      const start = at;
      while (at < text.length && isNameChar(text.charCodeAt(at)) && !(text[at] === "-" && text[at + 1] === "-")) at++;
      push("name", text.slice(start, at), start);
    } else if (isDigit(c) || (c === 45 && isDigit(text.charCodeAt(at + 1)))) {
      const start = at++;
      while (at < text.length && isDigit(text.charCodeAt(at))) at++;
      push("number", text.slice(start, at), start);
    } else {
      const symbol = text.startsWith("::=", at) ? "::=" : text.startsWith("..", at) ? ".." : text[at]!;
      if (!["::=", "..", "{", "}", "(", ")", "[", "]", ",", ";", ".", "|", "<", ">", ":"].includes(symbol))
        throw new MibError("BAD_TOKEN", line, at - lineStart + 1, `unexpected character ${JSON.stringify(symbol)}`);
      push("symbol", symbol, at);
      at += symbol.length;
    }
  }
  push("end", "", at);
  return out;
}

const isDigit = (c: number): boolean => c >= 48 && c <= 57;
const isLetter = (c: number): boolean => (c >= 65 && c <= 90) || (c >= 97 && c <= 122);
const isNameChar = (c: number): boolean => isLetter(c) || isDigit(c) || c === 45 || c === 95;
