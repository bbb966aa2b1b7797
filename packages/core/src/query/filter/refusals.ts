import type { Span } from "./ast.js";
import type { Lexer, Token } from "./lexer.js";
import { startsComparator } from "./read-comparator.js";
import { nearest } from "./suggest.js";
import { describe, fault, isReserved, quoteIfNeeded } from "./values.js";
import type { Vocabulary } from "./vocabulary.js";

/** What other languages join by. */
const JOINERS: Readonly<Record<string, string>> = { "&": "and", "|": "or" };

/** What has to stand between two parts is something else. */
export function expectedJoiner(rest: Token): never {
  if (rest.type === "word" && /^[&|]{1,2}$/.test(rest.text))
    fault("EXPECTED", `expected "and" or "or", got "${rest.text}"`, rest.span, JOINERS[rest.text[0]!]!);
  const written = rest.type === "word" || rest.type === "quoted" ? quoteIfNeeded(rest.text) : null;
  return fault(
    "EXPECTED",
    `expected "and", "or" or the end, got ${describe(rest)}; words that belong together go in quotes`,
    rest.span,
    written === null ? null : `and ${written}`,
  );
}

/** What other languages write and what would be searched for as a text here, unless somebody says so. */
export function refuseOtherSyntax(
  lexer: Lexer,
  vocabulary: Vocabulary,
  { text, span }: Token & { type: "word" },
): void {
  if (/^[&|]{1,2}$/.test(text))
    fault(
      "EXPECTED",
      `expected "and" or "or", got "${text}"; put it in quotes to search for it`,
      span,
      JOINERS[text[0]!]!,
    );
  if (text.startsWith("!"))
    fault(
      "EXPECTED",
      'the opposite is said with "not"; put it in quotes to search for it',
      span,
      text === "!" ? "not" : `not ${text.slice(1)}`,
    );
  const pattern = /^\/(?:[^/\\]|\\.)+\//.exec(lexer.rest(span.start));
  // two slashes within one word, and no more: else it is a path
  if (pattern !== null && (pattern[0].length >= text.length || /[\s(]/.test(pattern[0])))
    fault(
      "EXPECTED",
      'a pattern needs "matches"; put it in quotes to search for it',
      { start: span.start, end: span.start + pattern[0].length },
      `text matches ${pattern[0]}`,
    );
  const colon = text.indexOf(":");
  const name = colon > 0 ? vocabulary.named(text.slice(0, colon)) : undefined;
  if (name === undefined) return;
  const value = text.slice(colon + 1);
  const said =
    value === ""
      ? `${name.name} is`
      : /[*?]/.test(value)
        ? `${name.name} like ${quoteIfNeeded(value)}`
        : `${name.name} is ${quoteIfNeeded(value)}`;
  fault("EXPECTED", `"${text}" is searched for in quotes; for the field ${name.name} say "is"`, span, said);
}

/** "src prot is 22": two words and a comparator, near a field of two words. */
export function refuseMisspeltPair(
  lexer: Lexer,
  vocabulary: Vocabulary,
  first: Token & { type: "word" },
  second: Token,
): void {
  if (second.type !== "word" || startsComparator(second) || isReserved(second.text)) return;
  const mark = lexer.mark();
  lexer.next();
  const third = lexer.peek();
  const written = `${first.text} ${second.text}`;
  const pairs = vocabulary.fields.map((f) => f.name).filter((n) => n.includes(" "));
  if (startsComparator(third) && nearest(written, pairs) !== null)
    unknownField(vocabulary, written, { start: first.span.start, end: second.span.end });
  lexer.reset(mark);
}

export function unknownField(vocabulary: Vocabulary, name: string, span: Span): never {
  const { fields, hasData } = vocabulary;
  const near = nearest(
    name,
    vocabulary.fields.map((f) => f.name),
  );
  return fault(
    "UNKNOWN_FIELD",
    `there is no field "${name}"${near !== null ? `; did you mean "${near}"?` : hasData ? '; named values are asked for as data "name"' : `; there are ${fields.map((f) => f.name).join(", ")}`}`,
    span,
    near ?? (hasData ? `data "${name.replace(/["\\]/g, "\\$&")}"` : null),
  );
}
