import type { FilterError, Span } from "./ast.js";

export type Token =
  | { readonly type: "word"; readonly text: string; readonly span: Span }
  | { readonly type: "quoted"; readonly text: string; readonly span: Span }
  | { readonly type: "pattern"; readonly text: string; readonly span: Span }
  | { readonly type: "(" | ")" | ","; readonly span: Span }
  | { readonly type: "end"; readonly span: Span };

/** Thrown inside the filter parser, caught at its door. */
export class FilterFault extends Error {
  constructor(readonly error: FilterError) {
    super(error.message);
  }
}

/** Spaces as people and programs write them, the unbreakable too. */
const isSpace = (c: string) => /\s/.test(c);

/** Quotes that text processors make of plain ones: each with what may close it. */
const CLOSERS: Readonly<Record<string, string>> = {
  '"': '"',
  "“": '”"',
  "”": '”"',
  "„": '“”"',
  "‟": '”"',
  "«": '»"',
  "»": '«»"',
};
/** Signs of comparison, the longer first, with the plain ones they stand for. */
const SIGNS: readonly (readonly [written: string, sign: Sign])[] = [
  ["<=", "<="],
  [">=", ">="],
  ["!=", "!="],
  ["<>", "!="],
  ["==", "="],
  ["≤", "<="],
  ["≥", ">="],
  ["≠", "!="],
  ["=", "="],
  ["<", "<"],
  [">", ">"],
];
export type Sign = "=" | "!=" | "<" | "<=" | ">" | ">=";

/** Where the first sign of comparison in a word stands, or -1. */
export const signIn = (word: string): number => word.search(/[=<>≤≥≠]|!=/);

/** Splits filter text on demand: only the parser knows where a `/pattern/` may stand. */
export class Lexer {
  private at = 0;
  private ahead: Token | null = null;

  constructor(private readonly source: string) {
    for (let i = 0; i < source.length; i++) {
      const c = source.charCodeAt(i);
      const lone =
        (c >= 0xdc00 && c <= 0xdfff) ||
        (c >= 0xd800 && c <= 0xdbff && !(source.charCodeAt(i + 1) >= 0xdc00 && source.charCodeAt(i + 1) <= 0xdfff));
      if (c === 0 || lone)
        throw new FilterFault({
          code: "BAD_CHARACTER",
          message: "this character cannot occur in text",
          span: { start: i, end: i + 1 },
          suggestion: "",
        });
      if (c >= 0xd800 && c <= 0xdbff) i++;
    }
  }

  peek(): Token {
    this.ahead ??= this.read();
    return this.ahead;
  }

  next(): Token {
    const token = this.peek();
    this.ahead = null;
    return token;
  }

  /** Where reading stands, to come back to. */
  mark(): number {
    return this.ahead?.span.start ?? this.at;
  }

  reset(mark: number): void {
    this.at = mark;
    this.ahead = null;
  }

  /** A pattern between slashes, or whatever token stands there. `\/` is a slash. */
  nextPattern(): Token {
    if (this.ahead !== null) this.reset(this.ahead.span.start);
    this.skipSpace();
    if (this.source[this.at] !== "/") return this.next();
    const start = this.at;
    let text = "";
    for (let i = start + 1; i < this.source.length; i++) {
      const c = this.source[i]!;
      if (c === "\\" && i + 1 < this.source.length) {
        text += this.source[i + 1] === "/" ? "/" : c + this.source[i + 1];
        i++;
      } else if (c === "/") {
        this.at = i + 1;
        return { type: "pattern", text, span: { start, end: i + 1 } };
      } else text += c;
    }
    throw new FilterFault({
      code: "UNCLOSED",
      message: 'the pattern has no closing "/"',
      span: { start, end: this.source.length },
      suggestion: `${this.source.slice(start)}/`,
    });
  }

  /** A sign of comparison, if one stands here. */
  nextSign(): { readonly sign: Sign; readonly span: Span } | null {
    if (this.ahead !== null) this.reset(this.ahead.span.start);
    this.skipSpace();
    const found = SIGNS.find(([written]) => this.source.startsWith(written, this.at));
    if (found === undefined) return null;
    const start = this.at;
    this.at += found[0].length;
    return { sign: found[1], span: { start, end: this.at } };
  }

  /** The text from a place on, whatever has been read. */
  rest(from: number): string {
    return this.source.slice(from);
  }

  private skipSpace(): void {
    while (this.at < this.source.length && isSpace(this.source[this.at]!)) this.at++;
  }

  private read(): Token {
    this.skipSpace();
    const start = this.at;
    const c = this.source[start];
    if (c === undefined) return { type: "end", span: { start, end: start } };
    if (c === "(" || c === ")" || c === ",") {
      this.at++;
      return { type: c, span: { start, end: this.at } };
    }
    if (Object.hasOwn(CLOSERS, c)) return this.readQuoted(start, CLOSERS[c]!);
    let end = start;
    while (end < this.source.length && !isSpace(this.source[end]!) && !'(),"'.includes(this.source[end]!)) end++;
    this.at = end;
    return { type: "word", text: this.source.slice(start, end), span: { start, end } };
  }

  private readQuoted(start: number, closers: string): Token {
    let text = "";
    for (let i = start + 1; i < this.source.length; i++) {
      const c = this.source[i]!;
      const next = this.source[i + 1] ?? "";
      if (c === "\\" && next !== "" && (next === "\\" || closers.includes(next))) text += this.source[++i];
      else if (closers.includes(c)) {
        this.at = i + 1;
        return { type: "quoted", text, span: { start, end: i + 1 } };
      } else text += c;
    }
    throw new FilterFault({
      code: "UNCLOSED",
      message: "the quoted text has no closing quote",
      span: { start, end: this.source.length },
      suggestion: `${this.source.slice(start)}"`,
    });
  }
}
