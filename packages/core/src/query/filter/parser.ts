import { US_PER_DAY } from "../../base/time/index.js";
import type { FieldName } from "../../model/record/index.js";
import {
  type Filter,
  type FilterError,
  type RecordField,
  SAME_FIELDS,
  type SameField,
  type Span,
  type TextMode,
} from "./ast.js";
import { comparatorsOf } from "./comparators.js";
import { FilterFault, Lexer, signIn, type Token } from "./lexer.js";
import type { ParseContext } from "./parse-context.js";
import { MAX_PATTERN_STEPS } from "./pattern.js";
import { readComparator, signedComparator, startsComparator, wrongComparator } from "./read-comparator.js";
import { nearest } from "./suggest.js";
import { TestReader, wordTest } from "./test-reader.js";
import { describe, durationValue, fault, isReserved, quoteIfNeeded, textValue } from "./values.js";
import { type FilterField, RECORDS, type Vocabulary } from "./vocabulary.js";

export type ParseResult<N extends string = RecordField> =
  | { readonly ok: true; readonly filter: Filter<N> }
  | { readonly ok: false; readonly error: FilterError };

export const MAX_FILTER_LENGTH = 8_000;
const MAX_DEPTH = 60;
const MOST_AFTER_US = US_PER_DAY;
/** Saved filters used by saved filters may double at every step. */
const MAX_EXPANSIONS = 100;
/** A place of a message shape. */
const PLACE = /^\$[1-9]\d{0,2}$/;

/** Text to tree (grammar in docs/filter-language.md). Empty text is every record. */
export const parseFilter = (source: string, context: ParseContext): ParseResult =>
  parseFilterOf(RECORDS, source, context);

/** The same for a filter of something else than records, that names the fields of that. */
export function parseFilterOf<N extends string>(
  vocabulary: Vocabulary<N>,
  source: string,
  context: ParseContext,
): ParseResult<N> {
  const parsed = parse(vocabulary, source, context);
  if (parsed.ok || parsed.error.suggestion === null) return parsed;
  // what is suggested has to be understood itself; what stands behind it may hold another mistake
  const { span, suggestion } = parsed.error;
  const mended = parse(vocabulary, source.slice(0, span.start) + suggestion + source.slice(span.end), context);
  if (mended.ok || mended.error.span.start >= span.start + suggestion.length) return parsed;
  return { ok: false, error: { ...parsed.error, suggestion: null } };
}

function parse<N extends string>(vocabulary: Vocabulary<N>, source: string, context: ParseContext): ParseResult<N> {
  try {
    if (source.length > MAX_FILTER_LENGTH)
      fault("TOO_LONG", `a filter has at most ${MAX_FILTER_LENGTH} characters`, {
        start: MAX_FILTER_LENGTH,
        end: source.length,
      });
    // the parser names no field that its vocabulary has not
    return {
      ok: true,
      filter: new Parser(vocabulary, new Lexer(source), context).filter() as Filter<string> as Filter<N>,
    };
  } catch (e) {
    if (e instanceof FilterFault) return { ok: false, error: e.error };
    throw e;
  }
}

/** Names of the saved filters that a text uses, whether or not the text is understood. */
export function savedFilterNames(source: string): string[] {
  const names: string[] = [];
  try {
    const lexer = new Lexer(source);
    for (let last = lexer.next(); last.type !== "end"; ) {
      const token = lexer.next();
      if (last.type === "word" && last.text.toLowerCase() === "filter" && token.type === "quoted")
        names.push(token.text);
      last = token;
    }
  } catch (e) {
    if (!(e instanceof FilterFault)) throw e;
  }
  return names;
}

/** What other languages join by. */
const JOINERS: Readonly<Record<string, string>> = { "&": "and", "|": "or" };

/** Saved filters taken in for one text: the names on the way to here, and how many there were. */
interface Expansion {
  readonly within: readonly string[];
  readonly budget: { left: number; steps: number };
}

class Parser {
  private depth = 0;
  private readonly tests: TestReader;
  /** Words and phrases written as such, without field and comparator. */
  private readonly words = new WeakSet<Filter>();

  constructor(
    private readonly vocabulary: Vocabulary,
    private readonly lexer: Lexer,
    private readonly context: ParseContext,
    private readonly expansion: Expansion = { within: [], budget: { left: MAX_EXPANSIONS, steps: MAX_PATTERN_STEPS } },
    private isInAfter = false,
  ) {
    this.tests = new TestReader(
      lexer,
      context,
      expansion.budget,
      (afterQuoted) => this.alternative(afterQuoted) !== null,
    );
  }

  filter(): Filter {
    if (this.lexer.peek().type === "end") return { type: "everything" };
    const filter = this.either();
    const rest = this.lexer.peek();
    if (rest.type === ")") fault("EXPECTED", 'this ")" closes nothing', rest.span, "");
    if (rest.type !== "end") this.expectedJoiner(rest);
    return filter;
  }

  private expectedJoiner(rest: Token): never {
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

  private either(): Filter {
    return this.joined("or", () => this.joined("and", () => this.negation()));
  }

  private joined(word: "and" | "or", part: () => Filter): Filter {
    const first = part();
    const items = [first];
    for (;;) {
      if (this.isWord(word)) this.lexer.next();
      else if (word === "or" || !this.goesOnWithWords(items[items.length - 1]!)) break;
      items.push(part());
    }
    return items.length === 1
      ? first
      : { type: word, items, span: { start: startOf(first), end: endOf(items[items.length - 1]!) } };
  }

  /** Words beside one another are all looked for, in any order: `k.lind failed` is `k.lind and failed`. */
  private goesOnWithWords(before: Filter): boolean {
    if (!this.words.has(before)) return false;
    const next = this.lexer.peek();
    if (next.type === "quoted") return true;
    if (next.type !== "word" || isReserved(next.text) || /^[&|]{1,2}$/.test(next.text)) return false;
    const mark = this.lexer.mark();
    this.lexer.next();
    const isWord =
      !startsComparator(this.lexer.peek()) && signIn(next.text) < 0 && this.vocabulary.named(next.text) === undefined;
    this.lexer.reset(mark);
    return isWord;
  }

  private negation(): Filter {
    const token = this.lexer.peek();
    if (!this.isWord("not")) return this.primary();
    this.lexer.next();
    this.deeper(token.span);
    const item = this.negation();
    this.depth--;
    return { type: "not", item, span: { start: token.span.start, end: endOf(item) } };
  }

  private primary(): Filter {
    const token = this.lexer.peek();
    if (token.type === "(") {
      this.lexer.next();
      this.deeper(token.span);
      const inner = this.either();
      this.depth--;
      const close = this.lexer.next();
      if (close.type !== ")") {
        if (close.type === "end")
          fault(
            "UNCLOSED",
            'this "(" is never closed',
            { start: token.span.start, end: close.span.end },
            `${this.lexer.rest(token.span.start).trimEnd()})`,
          );
        this.expectedJoiner(close);
      }
      return inner;
    }
    if (token.type === "quoted") {
      this.lexer.next();
      if (token.text === "") fault("WRONG_VALUE", "empty quotes match nothing; leave them out", token.span, "");
      return this.asWord(textTest("phrase", token.text, token.span));
    }
    if (token.type !== "word")
      return fault(
        "EXPECTED",
        `expected a field, a word or "(", got ${describe(token)}`,
        token.span,
        token.type === "end" ? null : "",
      );
    return this.comparisonOrWord(token);
  }

  /** What a saved filter says, at the place where it is named. */
  private savedFilter(name: string, span: Span): Filter {
    const { saved } = this.context;
    if (saved === undefined) return fault("EXPECTED", "saved filters cannot be used here", span);
    const found = saved.find((s) => s.name.toLowerCase() === name.toLowerCase());
    if (found === undefined) {
      const near = nearest(
        name,
        saved.map((s) => s.name),
      );
      return fault(
        "UNKNOWN_VALUE",
        `there is no saved filter “${name}”`,
        span,
        near === null ? null : `filter "${near}"`,
      );
    }
    const { within, budget } = this.expansion;
    const way = [...within, found.name];
    if (within.includes(found.name))
      return fault("WRONG_VALUE", `saved filters lead back to themselves: ${way.join(" → ")}`, span);
    if (--budget.left < 0) return fault("TOO_LONG", `saved filters are used more than ${MAX_EXPANSIONS} times`, span);
    try {
      return withSpan(
        new Parser(
          this.vocabulary,
          new Lexer(found.text),
          this.context,
          { within: way, budget },
          this.isInAfter,
        ).filter(),
        span,
      );
    } catch (e) {
      if (!(e instanceof FilterFault)) throw e;
      // said once, by the innermost; its place in this text is where the filter is named
      const { message } = e.error;
      return fault(
        e.error.code,
        message.startsWith("saved filter") ? message : `saved filter “${found.name}”: ${message}`,
        span,
      );
    }
  }

  private comparisonOrWord(token: Token & { type: "word" }): Filter {
    const { span, text } = token;
    this.lexer.next();
    const second = this.lexer.peek();
    const lower = text.toLowerCase();
    if (lower === "data" && second.type !== "end" && this.vocabulary.hasData) return this.dataComparison(token);
    if (PLACE.test(text) && this.vocabulary.hasData && startsComparator(second)) return this.placeComparison(token);
    if (lower === "filter" && second.type === "quoted") {
      this.lexer.next();
      return this.savedFilter(second.text, { start: span.start, end: second.span.end });
    }
    if (lower === "same") {
      const after = this.after(span);
      if (after !== null) return after;
    }
    const two = this.fieldOfTwo(text);
    if (two !== null) {
      this.lexer.reset(two.end);
      return this.comparison(two.field, { start: span.start, end: two.end });
    }
    const sign = signIn(text);
    const before = sign > 0 ? this.vocabulary.named(text.slice(0, sign)) : undefined;
    if (before) {
      const end = span.start + sign;
      this.lexer.reset(end);
      return this.comparison(before, { start: span.start, end });
    }
    this.refuseMisspeltPair(token, second);
    const known = this.vocabulary.named(text);
    // by its own name in small letters a field wants to be compared; by any other it is one where it is
    const isMeant = text === known?.name && !known.isCommonWord;
    if (known && (isMeant || startsComparator(second))) return this.comparison(known, span);
    if (isReserved(text))
      fault(
        "EXPECTED",
        `expected a field or a word, got "${text}"; put it in quotes to search for it`,
        span,
        `"${text}"`,
      );
    this.refuseOtherSyntax(token);
    if (startsComparator(second)) this.unknownField(text, span);
    return this.asWord(bareWord(text, span));
  }

  /** `same user within 10 min after (…)`; null, and nothing read, where "same" is a word to be searched for. */
  private after(span: Span): Filter | null {
    const mark = this.lexer.mark();
    const first = this.lexer.next();
    const field = first.type === "word" ? this.vocabulary.named(first.text) : undefined;
    if (field === undefined || !this.isWord("within")) {
      this.lexer.reset(mark);
      return null;
    }
    this.lexer.next();
    if (!(SAME_FIELDS as readonly string[]).includes(field.name))
      fault(
        "WRONG_VALUE",
        `what belongs together is told by ${SAME_FIELDS.join(", ")}; not by ${field.name}`,
        first.span,
        nearest(field.name, SAME_FIELDS),
      );
    const durationAt = this.lexer.peek().span;
    const withinUs = durationValue(this.lexer);
    if (withinUs <= 0 || withinUs > MOST_AFTER_US)
      fault("WRONG_VALUE", "what follows is looked for within 24 h at most", durationAt);
    if (!this.isWord("after")) {
      const got = this.lexer.peek();
      fault("EXPECTED", `expected "after" and what came before in brackets, got ${describe(got)}`, got.span);
    }
    this.lexer.next();
    if (this.context.allowsAfter !== true)
      fault(
        "EXPECTED",
        "what came after something can only be asked of stored records; a rule says it as a sequence",
        span,
      );
    if (this.isInAfter) fault("EXPECTED", "what came after something stands only once on the way", span);
    this.isInAfter = true;
    const item = this.primary();
    this.isInAfter = false;
    return {
      type: "after",
      field: field.name as SameField,
      withinUs,
      item,
      span: { start: span.start, end: this.lexer.mark() },
    };
  }

  private asWord(test: Filter): Filter {
    this.words.add(test);
    return test;
  }

  /** What other languages write and what would be searched for as a text here, unless somebody says so. */
  private refuseOtherSyntax({ text, span }: Token & { type: "word" }): void {
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
    const pattern = /^\/(?:[^/\\]|\\.)+\//.exec(this.lexer.rest(span.start));
    // two slashes within one word, and no more: else it is a path
    if (pattern !== null && (pattern[0].length >= text.length || /[\s(]/.test(pattern[0])))
      fault(
        "EXPECTED",
        'a pattern needs "matches"; put it in quotes to search for it',
        { start: span.start, end: span.start + pattern[0].length },
        `text matches ${pattern[0]}`,
      );
    const colon = text.indexOf(":");
    const name = colon > 0 ? this.vocabulary.named(text.slice(0, colon)) : undefined;
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
  private refuseMisspeltPair(first: Token & { type: "word" }, second: Token): void {
    if (second.type !== "word" || startsComparator(second) || isReserved(second.text)) return;
    const mark = this.lexer.mark();
    this.lexer.next();
    const third = this.lexer.peek();
    const written = `${first.text} ${second.text}`;
    const pairs = this.vocabulary.fields.map((f) => f.name).filter((n) => n.includes(" "));
    if (startsComparator(third) && nearest(written, pairs) !== null)
      this.unknownField(written, { start: first.span.start, end: second.span.end });
    this.lexer.reset(mark);
  }

  private unknownField(name: string, span: Span): never {
    const { fields, hasData } = this.vocabulary;
    const near = nearest(
      name,
      this.vocabulary.fields.map((f) => f.name),
    );
    return fault(
      "UNKNOWN_FIELD",
      `there is no field "${name}"${near !== null ? `; did you mean "${near}"?` : hasData ? '; named values are asked for as data "name"' : `; there are ${fields.map((f) => f.name).join(", ")}`}`,
      span,
      near ?? (hasData ? `data "${name.replace(/["\\]/g, "\\$&")}"` : null),
    );
  }

  private dataComparison(token: Token): Filter {
    const written = this.lexer.peek();
    const sign = written.type === "word" ? signIn(written.text) : -1;
    if (written.type === "word" && sign > 0) {
      // a sign needs no blanks around it, as with fields; a name that holds one goes in quotes
      const end = written.span.start + sign;
      this.lexer.reset(end);
      return this.compare("data", { start: token.span.start, end }, written.text.slice(0, sign));
    }
    const name = textValue(this.lexer, 'the name of a value, such as data "user id"');
    return this.compare("data", { start: token.span.start, end: name.span.end }, name.text);
  }

  /** `$1 is 10.0.0.1`: what stands in a place of a message shape. */
  private placeComparison({ text, span }: Token & { type: "word" }): Filter {
    if (this.context.allowsAfter !== true)
      fault("EXPECTED", `what stands in ${text} of a shape can only be asked of stored records`, span);
    return { ...this.compare("data", span, text), place: Number(text.slice(1)) } as Filter;
  }

  private comparison(field: FilterField, span: Span): Filter {
    return this.compare(field, span);
  }

  private compare(field: FilterField | "data", span: Span, dataName?: string): Filter {
    const sign = this.lexer.nextSign();
    const { name, span: at } =
      sign === null
        ? readComparator(this.lexer, field, span)
        : { name: signedComparator(this.lexer, field, sign), span: sign.span };
    const allowed = comparatorsOf(field);
    if (!allowed.includes(name)) wrongComparator(field, name, at);
    const fieldName = field === "data" ? "data" : (field.name as FieldName);
    const negated = name === "is not" || name === "not in" || name === "missing";
    const test = this.tests.test(field, name, { field: span, comparator: at });
    const end = this.lexer.mark();
    if (name === "has" || name === "like" || name === "matches") this.refuseOrWord(field, dataName);
    return {
      type: "compare",
      field: fieldName,
      ...(dataName === undefined ? {} : { dataName }),
      test,
      negated,
      span: { start: span.start, end },
    };
  }

  /** "host has a or b": the second word alone would be searched for in the text. */
  private refuseOrWord(field: FilterField | "data", dataName?: string): void {
    if (field !== "data" && field.name === "text") return;
    const or = this.lexer.peek();
    const mark = this.lexer.mark();
    const value = this.alternative(false);
    this.lexer.reset(mark);
    if (value === null) return;
    const name = field === "data" ? `data ${quoteIfNeeded(dataName ?? "")}` : field.name;
    fault(
      "EXPECTED",
      `a word alone is searched for in the text; say "${name} has" again, or "text has"`,
      { start: or.span.start, end: value.span.end },
      `or ${name} has ${value.text}`,
    );
  }

  /**
   * The value after an "or" that goes on with the values of a comparison; null, and nothing read, when another part begins there. Text in
   * quotes stands for itself, unless the value before was in quotes too.
   */
  private alternative(afterQuoted: boolean): (Token & { type: "word" | "quoted" }) | null {
    const mark = this.lexer.mark();
    if (this.isWord("or")) {
      this.lexer.next();
      const value = this.lexer.next();
      const isValue =
        (value.type === "quoted" && afterQuoted) ||
        (value.type === "word" && !isReserved(value.text) && !value.text.startsWith("!") && signIn(value.text) < 0);
      if (isValue && !this.beginsComparison(value)) {
        this.lexer.reset(value.span.start);
        return value;
      }
    }
    this.lexer.reset(mark);
    return null;
  }

  /** Whether a comparison begins with a word that has been read. */
  private beginsComparison(word: Token): boolean {
    if (word.type !== "word") return false;
    const lower = word.text.toLowerCase();
    const next = this.lexer.peek();
    if (startsComparator(next)) return true;
    if (lower === "filter") return next.type === "quoted";
    if (lower === "data" && this.vocabulary.hasData) return next.type === "quoted" || this.comparesNext();
    if (lower === "same") return this.comparesNext();
    return this.fieldOfTwo(word.text) !== null;
  }

  /**
   * The field of two words whose first has been read, and where its name ends; nothing more is read. By a name that is not its own it is one only
   * where it is compared.
   */
  private fieldOfTwo(first: string): { readonly field: FilterField; readonly end: number } | null {
    const second = this.lexer.peek();
    if (second.type !== "word") return null;
    const sign = signIn(second.text);
    const rest = sign < 0 ? second.text : second.text.slice(0, sign);
    const field = this.vocabulary.named(`${first} ${rest}`);
    if (field === undefined) return null;
    const isOwn = `${first} ${rest}`.toLowerCase() === field.name;
    if (!isOwn && sign < 0 && !this.comparesNext()) return null;
    return { field, end: second.span.start + rest.length };
  }

  /** Whether the next word is compared: by the one behind it, or by a sign in it. */
  private comparesNext(): boolean {
    const mark = this.lexer.mark();
    const next = this.lexer.next();
    const compares = next.type === "word" && (signIn(next.text) > 0 || startsComparator(this.lexer.peek()));
    this.lexer.reset(mark);
    return compares;
  }

  private isWord(text: string): boolean {
    const token = this.lexer.peek();
    return token.type === "word" && token.text.toLowerCase() === text;
  }

  private deeper(span: Span): void {
    if (++this.depth > MAX_DEPTH) fault("TOO_LONG", `more than ${MAX_DEPTH} levels of parentheses`, span);
  }
}

function bareWord(text: string, span: Span): Filter {
  const test = wordTest(text, span);
  return textTest(test.mode, test.value, span);
}

const textTest = (mode: TextMode, value: string, span: Span): Filter => ({
  type: "compare",
  field: "text",
  test: { op: "has", mode, value },
  negated: false,
  span,
});

const startOf = (f: Filter): number => (f.type === "everything" ? 0 : f.span.start);
const endOf = (f: Filter): number => (f.type === "everything" ? 0 : f.span.end);

/** A filter of another text as a node of this one. */
const withSpan = (filter: Filter, span: Span): Filter => (filter.type === "everything" ? filter : { ...filter, span });
