import { US_PER_DAY } from "../../base/time/index.js";
import type { FieldName } from "../../model/record/index.js";
import { type Filter, SAME_FIELDS, type SameField, type Span, type TextMode } from "./ast.js";
import { comparatorsOf } from "./comparators.js";
import { FilterFault, Lexer, signIn, type Token } from "./lexer.js";
import { LookAhead } from "./look-ahead.js";
import type { ParseContext } from "./parse-context.js";
import { MAX_PATTERN_STEPS } from "./pattern.js";
import { readComparator, signedComparator, startsComparator, wrongComparator } from "./read-comparator.js";
import { expectedJoiner, refuseMisspeltPair, refuseOtherSyntax, unknownField } from "./refusals.js";
import { nearest } from "./suggest.js";
import { TestReader, wordTest } from "./test-reader.js";
import { describe, durationValue, fault, isReserved, quoteIfNeeded, textValue } from "./values.js";
import type { FilterField, Vocabulary } from "./vocabulary.js";

const MAX_DEPTH = 60;
const MOST_AFTER_US = US_PER_DAY;
/** Saved filters used by saved filters may double at every step. */
const MAX_EXPANSIONS = 100;
/** A place of a message shape. */
const PLACE = /^\$[1-9]\d{0,2}$/;

/** Saved filters taken in for one text: the names on the way to here, and how many there were. */
interface Expansion {
  readonly within: readonly string[];
  readonly budget: { left: number; steps: number };
}

/** Reads the parts of a filter and what joins them. */
export class Parser {
  private depth = 0;
  private readonly tests: TestReader;
  private readonly ahead: LookAhead;
  /** Words and phrases written as such, without field and comparator. */
  private readonly words = new WeakSet<Filter>();

  constructor(
    private readonly vocabulary: Vocabulary,
    private readonly lexer: Lexer,
    private readonly context: ParseContext,
    private readonly expansion: Expansion = { within: [], budget: { left: MAX_EXPANSIONS, steps: MAX_PATTERN_STEPS } },
    private isInAfter = false,
  ) {
    this.ahead = new LookAhead(vocabulary, lexer);
    this.tests = new TestReader(
      lexer,
      context,
      expansion.budget,
      (afterQuoted) => this.ahead.alternative(afterQuoted) !== null,
    );
  }

  filter(): Filter {
    if (this.lexer.peek().type === "end") return { type: "everything" };
    const filter = this.either();
    const rest = this.lexer.peek();
    if (rest.type === ")") fault("EXPECTED", 'this ")" closes nothing', rest.span, "");
    if (rest.type !== "end") expectedJoiner(rest);
    return filter;
  }

  private either(): Filter {
    return this.joined("or", () => this.joined("and", () => this.negation()));
  }

  private joined(word: "and" | "or", part: () => Filter): Filter {
    const first = part();
    const items = [first];
    for (;;) {
      if (this.ahead.isWord(word)) this.lexer.next();
      else if (word === "or" || !(this.words.has(items[items.length - 1]!) && this.ahead.goesOnWithWords())) break;
      items.push(part());
    }
    return items.length === 1
      ? first
      : { type: word, items, span: { start: startOf(first), end: endOf(items[items.length - 1]!) } };
  }

  private negation(): Filter {
    const token = this.lexer.peek();
    if (!this.ahead.isWord("not")) return this.primary();
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
        expectedJoiner(close);
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
    const two = this.ahead.fieldOfTwo(text);
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
    refuseMisspeltPair(this.lexer, this.vocabulary, token, second);
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
    refuseOtherSyntax(this.lexer, this.vocabulary, token);
    if (startsComparator(second)) unknownField(this.vocabulary, text, span);
    return this.asWord(bareWord(text, span));
  }

  /** `same user within 10 min after (…)`; null, and nothing read, where "same" is a word to be searched for. */
  private after(span: Span): Filter | null {
    const mark = this.lexer.mark();
    const first = this.lexer.next();
    const field = first.type === "word" ? this.vocabulary.named(first.text) : undefined;
    if (field === undefined || !this.ahead.isWord("within")) {
      this.lexer.reset(mark);
      return null;
    }
    this.lexer.next();
    if (!(SAME_FIELDS as readonly string[]).includes(field.name))
      fault(
        "WRONG_VALUE",
        `what belongs together is found by ${SAME_FIELDS.join(", ")}; not by ${field.name}`,
        first.span,
        nearest(field.name, SAME_FIELDS),
      );
    const durationAt = this.lexer.peek().span;
    const withinUs = durationValue(this.lexer);
    if (withinUs <= 0 || withinUs > MOST_AFTER_US)
      fault("WRONG_VALUE", "what follows is looked for within 24 h at most", durationAt);
    if (!this.ahead.isWord("after")) {
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
    const value = this.ahead.alternative(false);
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
