import { parseSeverity, severityName } from "../../model/record/index.js";
import type { Span } from "./ast.js";
import { COMPARATOR_STARTS, COMPARATORS, type ComparatorName, comparatorsOf, WORDS_OF } from "./comparators.js";
import { type Lexer, type Sign, signIn, type Token } from "./lexer.js";
import { nearest } from "./suggest.js";
import { describe, fault, isReserved, quoteIfNeeded, textValue } from "./values.js";
import type { FilterField } from "./vocabulary.js";

/** A sign of comparison as the language's own word. */
export function signedComparator(
  lexer: Lexer,
  field: FilterField | "data",
  { sign, span }: { readonly sign: Sign; readonly span: Span },
): ComparatorName {
  const type = field === "data" ? "data" : field.type;
  if (type === "number" || type === "port" || type === "time" || type === "shape") return WORDS_OF[sign];
  // of a named value, how much it is; whether it is the same is asked of its text
  if (type === "data" && sign !== "!=" && WORDS_OF[sign] !== "is") return WORDS_OF[sign];
  if (type === "severity") return refuseSeveritySign(lexer, sign, span);
  const label = field === "data" ? "data" : field.name;
  return fault(
    "WRONG_COMPARATOR",
    `${label} takes words: "is", "is not" …; put the whole in quotes to search for it`,
    span,
    sign === "!=" ? " is not " : " is ",
  );
}

/** Worse is less in numbers and more in words: a sign would be misread by one reader or the other. */
function refuseSeveritySign(lexer: Lexer, sign: Sign, span: Span): never {
  const { text, span: at } = textValue(lexer, "a severity");
  const severity = parseSeverity(text);
  const isNumber = /^\d+$/.test(text);
  const strict = sign === "<" || sign === ">" ? 1 : 0;
  const isWorse = isNumber === sign.startsWith("<");
  const other = severity === null ? null : severity + (isWorse ? -strict : strict);
  const said =
    other === null || other < 0 || other > 7
      ? null
      : sign === "="
        ? ` is ${severityName(other as 0)}`
        : sign === "!="
          ? ` is not ${severityName(other as 0)}`
          : ` ${isWorse ? "at least" : "at most"} ${severityName(other as 0)}`;
  return fault(
    "WRONG_COMPARATOR",
    'severity goes by urgency, where a sign is easily misread; say "at least error" for error or worse',
    { start: span.start, end: at.end },
    said,
  );
}

/** A comparator that a field does not take. */
export function wrongComparator(field: FilterField | "data", name: ComparatorName, span: Span): never {
  const allowed = comparatorsOf(field);
  const label = field === "data" ? "data" : field.name;
  if (field !== "data" && field.type === "severity" && (name === "over" || name === "under" || name === "between"))
    return fault(
      "WRONG_COMPARATOR",
      `severity goes by urgency, where "${name}" is easily misread; say "at least error" for error or worse`,
      span,
      name === "under" ? "at most" : "at least",
    );
  return fault(
    "WRONG_COMPARATOR",
    `${label} does not take "${name}"; it takes ${allowed.join(", ")}`,
    span,
    nearest(name, allowed) ?? allowed[0]!,
  );
}

/** The comparator that stands behind a field. @param span of the field */
export function readComparator(
  lexer: Lexer,
  field: FilterField | "data",
  span: Span,
): { name: ComparatorName; span: Span } {
  const token = lexer.next();
  const word = token.type === "word" ? token.text.toLowerCase() : "";
  const pair = (second: string, name: ComparatorName) => {
    const next = lexer.peek();
    if (next.type !== "word" || next.text.toLowerCase() !== second) return null;
    lexer.next();
    return { name, span: { start: token.span.start, end: next.span.end } };
  };
  if (word === "is") {
    const not = pair("not", "is not");
    if (not) return pair("missing", "present") ?? pair("present", "missing") ?? not;
    return pair("missing", "missing") ?? pair("present", "present") ?? { name: "is", span: token.span };
  }
  if (word === "not") {
    const both = pair("in", "not in");
    if (both) return both;
    if (startsComparator(lexer.peek()))
      return fault(
        "EXPECTED",
        "the opposite of a comparison is said before it: not, and then the whole",
        { start: span.start, end: token.span.end },
        `not ${lexer.rest(span.start).slice(0, span.end - span.start)}`,
      );
  }
  if (word === "at") {
    const both = pair("least", "at least") ?? pair("most", "at most");
    if (both) return both;
    const next = lexer.peek();
    const near = next.type === "word" ? nearest(next.text, ["least", "most"]) : null;
    fault(
      "EXPECTED",
      'expected "least" or "most" after "at"',
      near === null ? token.span : { start: token.span.start, end: next.span.end },
      `at ${near ?? "least"}`,
    );
  }
  if ((COMPARATORS as readonly string[]).includes(word)) return { name: word as ComparatorName, span: token.span };
  const label = field === "data" ? "data" : field.name;
  const allowed = comparatorsOf(field);
  if (token.type === "end" || token.type === ")" || isReserved(word))
    return fault(
      "EXPECTED",
      `"${label}" is a field: expected ${allowed.slice(0, 4).join(", ")} … after it; put it in quotes to search for the word`,
      span,
      `"${label}"`,
    );
  refuseOthersWord(lexer, token, allowed);
  return fault(
    "EXPECTED",
    `expected a comparator after "${label}" (${allowed.join(", ")}), got ${describe(token)}`,
    token.span,
    nearest(word, allowed) ?? (RANGE.test(word) ? `in ${word}` : `is ${quoteIfNeeded(word)}`),
  );
}

const RANGE = /^[^.]+\.\.[^.]+$/;

/** Comparators of other languages and of plain speech, as ours. */
const OTHERS_WORDS: Readonly<Record<string, ComparatorName>> = {
  contains: "has",
  contain: "has",
  includes: "has",
  equals: "is",
  equal: "is",
  exists: "present",
  after: "over",
  since: "at least",
  before: "under",
  above: "over",
  below: "under",
};

/** What somebody says who does not know our words for it: with ours, where the field takes that. */
function refuseOthersWord(lexer: Lexer, token: Token, allowed: readonly ComparatorName[]): void {
  if (token.type !== "word") return;
  const word = token.text.toLowerCase();
  const ours = Object.hasOwn(OTHERS_WORDS, word) ? OTHERS_WORDS[word]! : null;
  if (ours !== null && allowed.includes(ours))
    fault("EXPECTED", `"${token.text}" is said as "${ours}"`, token.span, ours);
  const edge = /^(starts|begins|ends)$/.exec(word)?.[1];
  if (edge === undefined || !allowed.includes("like")) return;
  const mark = lexer.mark();
  const isWith = lexer.next();
  const value = lexer.next();
  lexer.reset(mark);
  if (isWith.type !== "word" || isWith.text.toLowerCase() !== "with") return;
  if (value.type !== "word" && value.type !== "quoted") return;
  const like = edge === "ends" ? `*${value.text}` : `${value.text}*`;
  fault(
    "EXPECTED",
    `"${edge} with" is said as "like", with * for the rest`,
    { start: token.span.start, end: value.span.end },
    `like ${quoteIfNeeded(like)}`,
  );
}

/** Whether a comparator begins with a token. */
export const startsComparator = (token: Token): boolean =>
  token.type === "word" && (COMPARATOR_STARTS.has(token.text.toLowerCase()) || signIn(token.text) === 0);
