import { FIELDS, type Field, type FieldName, fieldNamed, field as fieldOf, SEVERITIES } from "../record/index.js";
import type { SenderDirectory } from "../senders/index.js";
import type { Filter, FilterError, Span, Test, TextMode } from "./ast.js";
import { FilterFault, Lexer, type Token } from "./lexer.js";
import { compilePattern, MAX_PATTERN_STEPS } from "./pattern.js";
import { nearest } from "./suggest.js";
import {
  choiceValue,
  describe,
  durationValue,
  fault,
  networkValue,
  numberRange,
  quoteIfNeeded,
  RESERVED,
  severityValue,
  textValue,
  timeValue,
} from "./values.js";

export interface ParseContext {
  /** The reader's zone, for times written without one. */
  readonly zone: string;
  /** Where given, sender, group and site names are checked against it. */
  readonly directory?: SenderDirectory;
  /** Texts of saved filters by name, for `filter "name"`. */
  readonly saved?: readonly SavedText[];
}

export interface SavedText {
  readonly name: string;
  readonly text: string;
}

export type ParseResult =
  | { readonly ok: true; readonly filter: Filter }
  | { readonly ok: false; readonly error: FilterError };

const MAX_LENGTH = 8_000;
const MAX_DEPTH = 60;
/** Saved filters used by saved filters may double at every step. */
const MAX_EXPANSIONS = 100;
const COMPARATORS = [
  "is",
  "is not",
  "in",
  "not in",
  "within",
  "has",
  "like",
  "matches",
  "over",
  "under",
  "at least",
  "at most",
  "between",
  "present",
  "missing",
  "last",
] as const;
export type ComparatorName = (typeof COMPARATORS)[number];
const COMPARATOR_STARTS = new Set([
  "is",
  "in",
  "not",
  "within",
  "has",
  "like",
  "matches",
  "over",
  "under",
  "at",
  "between",
  "present",
  "missing",
  "last",
]);

/** Which comparators a field takes; the parser, completion and the form builder read this. */
export function comparatorsOf(field: Field | "data"): readonly ComparatorName[] {
  const always = ["present", "missing"] as const;
  if (field === "data") return ["is", "is not", "in", "not in", "has", "like", "matches", ...always];
  switch (field.type) {
    case "text":
    case "exact":
      return ["is", "is not", "in", "not in", "has", "like", "matches", ...always];
    case "sender":
      return ["is", "is not", "in", "not in", "like"];
    case "choice":
      return ["is", "is not", "in", "not in", ...always];
    case "severity":
      return ["at least", "at most", "is", "is not", "in", "not in"];
    case "address":
      return ["is", "is not", "in", "not in", "within", ...always];
    case "number":
    case "port":
      return ["is", "is not", "in", "not in", "over", "under", "at least", "at most", "between", ...always];
    case "time":
      return ["last", "between", "over", "under", "at least", "at most"];
  }
}

/** Text to tree (grammar in docs/filter-language.md). Empty text is every record. */
export function parseFilter(source: string, context: ParseContext): ParseResult {
  try {
    if (source.length > MAX_LENGTH)
      fault("TOO_LONG", `a filter has at most ${MAX_LENGTH} characters`, { start: MAX_LENGTH, end: source.length });
    return { ok: true, filter: new Parser(new Lexer(source), context).filter() };
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
      if (last.type === "word" && last.text === "filter" && token.type === "quoted") names.push(token.text);
      last = token;
    }
  } catch (e) {
    if (!(e instanceof FilterFault)) throw e;
  }
  return names;
}

/** Saved filters taken in for one text: the names on the way to here, and how many there were. */
interface Expansion {
  readonly within: readonly string[];
  readonly budget: { left: number; steps: number };
}

class Parser {
  private depth = 0;

  constructor(
    private readonly lexer: Lexer,
    private readonly context: ParseContext,
    private readonly expansion: Expansion = { within: [], budget: { left: MAX_EXPANSIONS, steps: MAX_PATTERN_STEPS } },
  ) {}

  filter(): Filter {
    if (this.lexer.peek().type === "end") return { type: "everything" };
    const filter = this.either();
    const rest = this.lexer.peek();
    if (rest.type === ")") fault("EXPECTED", 'this ")" closes nothing', rest.span, "");
    if (rest.type !== "end") this.expectedJoiner(rest);
    return filter;
  }

  private expectedJoiner(rest: Token): never {
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
    while (this.isWord(word)) {
      this.lexer.next();
      items.push(part());
    }
    return items.length === 1
      ? first
      : { type: word, items, span: { start: startOf(first), end: endOf(items[items.length - 1]!) } };
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
        if (close.type === "end") fault("UNCLOSED", 'this "(" is never closed', token.span);
        this.expectedJoiner(close);
      }
      return inner;
    }
    if (token.type === "quoted") {
      this.lexer.next();
      if (token.text === "") fault("WRONG_VALUE", "empty quotes match nothing; leave them out", token.span, "");
      return textTest("phrase", token.text, token.span);
    }
    if (token.type !== "word")
      return fault("EXPECTED", `expected a field, a word or "(", got ${describe(token)}`, token.span);
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
      return withSpan(new Parser(new Lexer(found.text), this.context, { within: way, budget }).filter(), span);
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
    this.lexer.next();
    const second = this.lexer.peek();
    if (token.text === "data") return this.dataComparison(token);
    if (token.text === "filter" && second.type === "quoted") {
      this.lexer.next();
      return this.savedFilter(second.text, { start: token.span.start, end: second.span.end });
    }
    if (second.type === "word") {
      const two = fieldNamed(`${token.text} ${second.text}`);
      if (two) {
        this.lexer.next();
        return this.comparison(two, { start: token.span.start, end: second.span.end });
      }
    }
    this.refuseMisspeltPair(token, second);
    const known = fieldNamed(token.text);
    if (known) return this.comparison(known, token.span);
    if (RESERVED.has(token.text))
      fault(
        "EXPECTED",
        `expected a field or a word, got "${token.text}"; put it in quotes to search for it`,
        token.span,
        `"${token.text}"`,
      );
    if (this.startsComparator(second)) this.unknownField(token.text, token.span);
    if (second.type === "word" && !RESERVED.has(second.text))
      fault(
        "EXPECTED",
        `expected "and", "or" or a comparator after "${token.text}", got "${second.text}"; words that belong together go in quotes`,
        { start: token.span.start, end: second.span.end },
        `"${token.text} ${second.text}"`,
      );
    return bareWord(token.text, token.span);
  }

  /** "src prot is 22": two words and a comparator, near a field of two words. */
  private refuseMisspeltPair(first: Token & { type: "word" }, second: Token): void {
    if (second.type !== "word" || this.startsComparator(second) || RESERVED.has(second.text)) return;
    const mark = this.lexer.mark();
    this.lexer.next();
    const third = this.lexer.peek();
    const written = `${first.text} ${second.text}`;
    const pairs = FIELDS.map((f) => f.name).filter((n) => n.includes(" "));
    if (this.startsComparator(third) && nearest(written, pairs) !== null)
      this.unknownField(written, { start: first.span.start, end: second.span.end });
    this.lexer.reset(mark);
  }

  private unknownField(name: string, span: Span): never {
    const near = nearest(
      name,
      FIELDS.map((f) => f.name),
    );
    return fault(
      "UNKNOWN_FIELD",
      `there is no field "${name}"${near === null ? "" : `; did you mean "${near}"?`}`,
      span,
      near,
    );
  }

  private dataComparison(token: Token): Filter {
    const name = textValue(this.lexer, 'the name of a value, such as data "user id"');
    return this.compare("data", { start: token.span.start, end: name.span.end }, name.text);
  }

  private comparison(field: Field, span: Span): Filter {
    return this.compare(field, span);
  }

  private compare(field: Field | "data", span: Span, dataName?: string): Filter {
    const { name, span: at } = this.comparator(field, span);
    const allowed = comparatorsOf(field);
    if (!allowed.includes(name)) this.wrongComparator(field, name, at);
    const fieldName = field === "data" ? "data" : (field.name as FieldName);
    const negated = name === "is not" || name === "not in" || name === "missing";
    const test = this.test(field, name);
    const end = this.lexer.mark();
    return {
      type: "compare",
      field: fieldName,
      ...(dataName === undefined ? {} : { dataName }),
      test,
      negated,
      span: { start: span.start, end },
    };
  }

  private wrongComparator(field: Field | "data", name: ComparatorName, span: Span): never {
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

  private comparator(field: Field | "data", span: Span): { name: ComparatorName; span: Span } {
    const token = this.lexer.next();
    const word = token.type === "word" ? token.text : "";
    const pair = (second: string, name: ComparatorName) => {
      const next = this.lexer.peek();
      if (next.type !== "word" || next.text !== second) return null;
      this.lexer.next();
      return { name, span: { start: token.span.start, end: next.span.end } };
    };
    if (word === "is") return pair("not", "is not") ?? { name: "is", span: token.span };
    if (word === "not") {
      const both = pair("in", "not in");
      if (both) return both;
    }
    if (word === "at") {
      const both = pair("least", "at least") ?? pair("most", "at most");
      if (both) return both;
      fault("EXPECTED", 'expected "least" or "most" after "at"', token.span, "at least");
    }
    if ((COMPARATORS as readonly string[]).includes(word)) return { name: word as ComparatorName, span: token.span };
    const label = field === "data" ? "data" : field.name;
    const allowed = comparatorsOf(field);
    if (token.type === "end" || token.type === ")" || RESERVED.has(word))
      return fault(
        "EXPECTED",
        `"${label}" is a field: expected ${allowed.slice(0, 4).join(", ")} … after it; put it in quotes to search for the word`,
        span,
        `"${label}"`,
      );
    return fault(
      "EXPECTED",
      `expected a comparator after "${label}" (${allowed.join(", ")}), got ${describe(token)}`,
      token.span,
      nearest(word, allowed) ?? `is ${quoteIfNeeded(word)}`,
    );
  }

  private test(field: Field | "data", name: ComparatorName): Test {
    if (name === "present" || name === "missing") return { op: "present" };
    if (name === "has") return this.hasTest();
    if (name === "like") return { op: "like", pattern: textValue(this.lexer, "text with * and ?").text };
    if (name === "matches") return this.patternTest(field);
    if (field === "data") return { op: "oneOf", values: this.list(() => textValue(this.lexer, "a value").text) };
    switch (field.type) {
      case "text":
      case "exact":
        return { op: "oneOf", values: this.list(() => textValue(this.lexer, `a value for ${field.name}`).text) };
      case "choice":
        return { op: "oneOf", values: this.list(() => choiceValue(this.lexer, field)) };
      case "sender":
        return this.senderTest(name);
      case "severity":
        return this.severityTest(name);
      case "address":
        return { op: "networks", networks: this.list(() => networkValue(this.lexer)) };
      case "number":
      case "port":
        return this.numberTest(field, name);
      case "time":
        return this.timeTest(name);
    }
  }

  private hasTest(): Test {
    const { text, quoted, span } = textValue(this.lexer, "text to look for");
    if (text === "") fault("WRONG_VALUE", "empty quotes match nothing", span);
    if (quoted) return { op: "has", mode: "phrase", value: text };
    return wordTest(text, span);
  }

  private patternTest(field: Field | "data"): Test {
    const token = this.lexer.nextPattern();
    if (token.type !== "pattern")
      fault(
        "EXPECTED",
        `expected a pattern between slashes, such as /fail(ed|ure)/, got ${describe(token)}`,
        token.span,
        token.type === "word" || token.type === "quoted" ? `/${token.text}/` : null,
      );
    const exact = field !== "data" && field.type === "exact";
    const compiled = compilePattern(token.text, !exact);
    if (!compiled.ok) fault("BAD_PATTERN", `the pattern cannot be read: ${compiled.reason}`, token.span);
    const { budget } = this.expansion;
    budget.steps -= compiled.steps;
    if (budget.steps < 0)
      fault(
        "TOO_COSTLY",
        `the patterns of this filter are too costly: expected at most ${MAX_PATTERN_STEPS} steps for each character, this one alone takes ${compiled.steps}; fewer repetitions, or fewer patterns, cost less`,
        token.span,
      );
    return { op: "matches", source: token.text };
  }

  private senderTest(name: ComparatorName): Test {
    const next = this.lexer.peek();
    if (
      (name === "in" || name === "not in") &&
      next.type === "word" &&
      (next.text === "group" || next.text === "site")
    ) {
      this.lexer.next();
      const op = next.text;
      const known = op === "group" ? this.context.directory?.groupNames() : this.context.directory?.siteNames();
      return { op, names: this.list(() => this.known(`a ${op}`, known)) };
    }
    const names = this.context.directory?.senders.map((s) => s.name);
    return { op: "oneOf", values: this.list(() => this.known("a sender", names && ["halvik", ...names])) };
  }

  private known(what: string, names: readonly string[] | undefined): string {
    const { text, span } = textValue(this.lexer, what);
    if (names !== undefined && !names.some((n) => n.toLowerCase() === text.toLowerCase())) {
      const near = nearest(text, names);
      fault(
        "UNKNOWN_VALUE",
        `"${text}" is not ${what} Halvik knows${near === null ? "" : `; did you mean "${near}"?`}`,
        span,
        near === null ? null : quoteIfNeeded(near),
      );
    }
    return text;
  }

  private severityTest(name: ComparatorName): Test {
    if (name === "at least") {
      const worst = severityValue(this.lexer);
      return { op: "severity", values: SEVERITIES.map((_, i) => i as 0).filter((i) => i <= worst) };
    }
    if (name === "at most") {
      const mildest = severityValue(this.lexer);
      return { op: "severity", values: SEVERITIES.map((_, i) => i as 0).filter((i) => i >= mildest) };
    }
    return { op: "severity", values: this.list(() => severityValue(this.lexer)) };
  }

  private numberTest(field: Field, name: ComparatorName): Test {
    const single = () => numberRange(this.lexer, field);
    switch (name) {
      case "over":
        return { op: "ranges", ranges: [[Math.floor(single()[1]) + 1, Number.POSITIVE_INFINITY]] };
      case "under":
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, Math.ceil(single()[0]) - 1]] };
      case "at least":
        return { op: "ranges", ranges: [[Math.ceil(single()[0]), Number.POSITIVE_INFINITY]] };
      case "at most":
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, Math.floor(single()[1])]] };
      case "between": {
        const [from] = single();
        this.expectAnd();
        return { op: "ranges", ranges: [[Math.ceil(from), Math.floor(single()[1])]] };
      }
      default:
        return { op: "ranges", ranges: this.list(single) };
    }
  }

  private timeTest(name: ComparatorName): Test {
    if (name === "last") return { op: "last", us: durationValue(this.lexer) };
    const at = timeValue(this.lexer, this.context);
    switch (name) {
      case "between": {
        this.expectAnd();
        // ranges of time are [from, to) (semantics 1)
        return { op: "ranges", ranges: [[at, timeValue(this.lexer, this.context) - 1]] };
      }
      case "over":
        return { op: "ranges", ranges: [[at + 1, Number.POSITIVE_INFINITY]] };
      case "under":
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, at - 1]] };
      case "at least":
        return { op: "ranges", ranges: [[at, Number.POSITIVE_INFINITY]] };
      default:
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, at]] };
    }
  }

  private expectAnd(): void {
    const token = this.lexer.next();
    if (token.type !== "word" || token.text !== "and")
      fault("EXPECTED", `expected "and" and the upper end, got ${describe(token)}`, token.span);
  }

  /** One value or several with commas, in parentheses or not. */
  private list<T>(value: () => T): T[] {
    const open = this.lexer.peek().type === "(";
    if (open) this.lexer.next();
    const values = [value()];
    while (this.lexer.peek().type === ",") {
      this.lexer.next();
      values.push(value());
    }
    if (open) {
      const close = this.lexer.next();
      if (close.type !== ")") fault("UNCLOSED", `expected ")" or "," in the list, got ${describe(close)}`, close.span);
    }
    return values;
  }

  private startsComparator(token: Token): boolean {
    return token.type === "word" && COMPARATOR_STARTS.has(token.text);
  }

  private isWord(text: string): boolean {
    const token = this.lexer.peek();
    return token.type === "word" && token.text === text;
  }

  private deeper(span: Span): void {
    if (++this.depth > MAX_DEPTH) fault("TOO_LONG", `more than ${MAX_DEPTH} levels of parentheses`, span);
  }
}

function wordTest(text: string, span: Span): Test & { op: "has" } {
  const part = text.length > 2 && text.startsWith("*") && text.endsWith("*");
  const prefix = !part && text.length > 1 && text.endsWith("*") && !text.startsWith("*");
  const value = part ? text.slice(1, -1) : prefix ? text.slice(0, -1) : text;
  const mode: TextMode = part ? "part" : prefix ? "prefix" : "word";
  if (value.includes("*") || value.includes("?"))
    fault(
      "WRONG_VALUE",
      'in a word, * stands only at its end or at both ends; use text like "…" for other places',
      span,
      `text like "*${text}*"`,
    );
  return { op: "has", mode, value };
}

function bareWord(text: string, span: Span): Filter {
  const test = wordTest(text, span);
  return textTest(test.mode, test.value, span);
}

const textTest = (mode: TextMode, value: string, span: Span): Filter => ({
  type: "compare",
  field: fieldOf("text").name as FieldName,
  test: { op: "has", mode, value },
  negated: false,
  span,
});

const startOf = (f: Filter): number => (f.type === "everything" ? 0 : f.span.start);
const endOf = (f: Filter): number => (f.type === "everything" ? 0 : f.span.end);

/** A filter of another text as a node of this one. */
const withSpan = (filter: Filter, span: Span): Filter => (filter.type === "everything" ? filter : { ...filter, span });
