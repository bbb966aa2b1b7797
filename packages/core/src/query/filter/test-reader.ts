import { canonicalAddress, type Network } from "../../base/net/index.js";
import { type Count, SEVERITIES, toCount } from "../../model/record/index.js";
import { SENDER_TRAITS, type SenderTrait } from "../../model/senders/index.js";
import type { Span, Test, TextMode } from "./ast.js";
import type { ComparatorName } from "./comparators.js";
import type { Lexer } from "./lexer.js";
import type { ParseContext } from "./parse-context.js";
import { compilePattern, MAX_PATTERN_STEPS } from "./pattern.js";
import { nearest } from "./suggest.js";
import {
  choiceValue,
  decimalValue,
  describe,
  durationValue,
  fault,
  networkValue,
  numberRange,
  numberValue,
  quoteIfNeeded,
  severityValue,
  textValue,
  timeValue,
} from "./values.js";
import type { FilterField } from "./vocabulary.js";

/** Stars and question marks of one `like`. */
const MAX_WILDCARDS = 50;

const isTrait = (word: string): boolean => (SENDER_TRAITS as readonly string[]).includes(word);

/** Where the parts of a comparison stand. */
export interface ComparisonSpans {
  readonly field: Span;
  readonly comparator: Span;
}

/** Reads what stands behind a comparator: one value, several, a range, a pattern. */
export class TestReader {
  constructor(
    private readonly lexer: Lexer,
    private readonly context: ParseContext,
    /** What patterns of the whole filter may still cost. */
    private readonly budget: { steps: number },
    /** Whether the list goes on after a value; then what joins it has been read. @param afterQuoted the value before was in quotes */
    private readonly goesOn: (afterQuoted: boolean) => boolean,
  ) {}

  /** What a comparison asks of its field's values. */
  test(field: FilterField | "data", name: ComparatorName, at: ComparisonSpans): Test {
    if (name === "present" || name === "missing") return { op: "present" };
    if (name === "has") return this.hasTest();
    if (name === "like") return this.likeTest();
    if (name === "matches") return this.patternTest(field);
    if (name === "exactly") return { op: "oneOf", values: [this.wholeText(field, name, at)], exactly: true };
    if (field === "data")
      return (
        this.listTest(name) ??
        this.amountTest(name) ?? { op: "oneOf", values: this.list(() => this.wholeText(field, name, at)) }
      );
    switch (field.type) {
      case "text":
      case "exact":
        return this.listTest(name) ?? { op: "oneOf", values: this.list(() => this.wholeText(field, name, at)) };
      case "choice":
        return { op: "oneOf", values: this.list(() => choiceValue(this.lexer, field)) };
      case "sender":
        return this.senderTest(name);
      case "severity":
        return this.severityTest(name);
      case "address":
        return this.listTest(name) ?? { op: "networks", networks: this.networks(name) };
      case "number":
      case "port":
        return this.numberTest(field, name);
      case "shape":
        return name === "new" ? this.newTest(at) : this.numberTest(field, name);
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

  private networks(name: ComparatorName): Network[] {
    const first = this.lexer.peek();
    const networks = this.list(() => networkValue(this.lexer));
    const only = networks[0]!;
    if (name === "within" && networks.length === 1 && first.type === "word" && !first.text.includes("/"))
      fault(
        "WRONG_VALUE",
        `expected a block such as 10.20.0.0/16, got the single address ${first.text}`,
        first.span,
        `${first.text}/${only.bits}`,
      );
    return networks;
  }

  private likeTest(): Test {
    const { text, span } = textValue(this.lexer, "text with * and ?");
    const wildcards = text.replace(/[^*?]/g, "").length;
    if (wildcards > MAX_WILDCARDS)
      fault("TOO_COSTLY", `expected at most ${MAX_WILDCARDS} * and ?, got ${wildcards}`, span);
    return { op: "like", pattern: text };
  }

  /** A whole value of text: what is meant as a beginning, a part or a range is not said so. */
  private wholeText(field: FilterField | "data", name: ComparatorName, at: ComparisonSpans): string {
    const label = field === "data" ? "a value" : `a value for ${field.name}`;
    const { text, quoted, span } = textValue(this.lexer, label);
    if (quoted) {
      if (text === "" && field !== "data")
        fault(
          "WRONG_VALUE",
          `no ${field.name} is empty; it is missing where there is none`,
          { start: at.comparator.start, end: span.end },
          name === "is" || name === "in" ? "missing" : "present",
        );
      return text;
    }
    if (/[*?]/.test(text)) {
      const like = `${this.lexer.rest(at.field.start).slice(0, at.field.end - at.field.start)} like ${quoteIfNeeded(text)}`;
      fault(
        "WRONG_VALUE",
        `"${name}" takes whole values, where * and ? are themselves; say "like", or put it in quotes`,
        { start: at.field.start, end: span.end },
        this.isSingle(span) ? (name === "is" || name === "in" ? like : `not ${like}`) : null,
      );
    }
    const range = /^(\d{1,9})\.\.(\d{1,9})$/.exec(text);
    if (range !== null) {
      const [from, to] = [Number(range[1]), Number(range[2])];
      const each = to >= from && to - from < 20 ? Array.from({ length: to - from + 1 }, (_, i) => from + i) : null;
      fault(
        "WRONG_VALUE",
        "ranges are for numbers, and this is text",
        span,
        each === null ? `"${text}"` : each.join(", "),
      );
    }
    if (/^[^./]+\.\.[^./]+$/.test(text))
      fault("WRONG_VALUE", "ranges are for numbers, and this is text", span, `"${text}"`);
    return text;
  }

  /** Whether a value is the only one of its comparison, as far as has been read. */
  private isSingle(value: Span): boolean {
    const next = this.lexer.peek();
    const before = this.lexer.rest(0).slice(0, value.start).trimEnd();
    return next.type !== "," && !before.endsWith(",") && !before.endsWith("(");
  }

  private patternTest(field: FilterField | "data"): Test {
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
    if (!compiled.ok)
      fault(
        "BAD_PATTERN",
        `the pattern cannot be read: ${compiled.reason}`,
        token.span,
        token.text.includes("(?-i)") ? `/${token.text.replaceAll("(?-i)", "").replaceAll("/", "\\/")}/` : null,
      );
    this.budget.steps -= compiled.steps;
    if (this.budget.steps < 0)
      fault(
        "TOO_COSTLY",
        `the patterns of this filter are too costly: expected at most ${MAX_PATTERN_STEPS} steps for each character, this one alone takes ${compiled.steps}; fewer repetitions, or fewer patterns, cost less`,
        token.span,
      );
    return { op: "matches", source: token.text };
  }

  private senderTest(name: ComparatorName): Test {
    const next = this.lexer.peek();
    if ((name === "in" || name === "not in") && next.type === "word" && isTrait(next.text.toLowerCase())) {
      this.lexer.next();
      const op = next.text.toLowerCase() as SenderTrait;
      const known = this.context.directory?.traitNames(op);
      return { op, names: this.list(() => this.known(`a ${op}`, known)) };
    }
    if (name === "within") return { op: "networks", networks: this.networks(name) };
    const known = this.context.directory?.senders.flatMap((s) => [
      s.name,
      ...s.addresses,
      ...s.formerNames,
      ...s.formerAddresses,
    ]);
    return { op: "oneOf", values: this.list(() => this.sender(known && ["halvik", ...known])) };
  }

  /** A sender by its name, or by one of its addresses in any spelling. */
  private sender(known: readonly string[] | undefined): string {
    const mark = this.lexer.mark();
    const { text } = textValue(this.lexer, "a sender");
    const address = canonicalAddress(text);
    if (address !== null && (known === undefined || known.includes(address))) return address;
    this.lexer.reset(mark);
    return this.known("a sender", known);
  }

  /** `in list "scanners"`; null, and nothing read, where values follow. */
  private listTest(name: ComparatorName): Test | null {
    if (name !== "in" && name !== "not in") return null;
    const mark = this.lexer.mark();
    const word = this.lexer.next();
    const isList = word.type === "word" && word.text.toLowerCase() === "list" && this.lexer.peek().type === "quoted";
    if (!isList) {
      this.lexer.reset(mark);
      return null;
    }
    const known = this.context.directory?.lists.names();
    return { op: "list", names: this.list(() => this.known("a list", known)) };
  }

  private newTest({ field, comparator }: ComparisonSpans): Test {
    if (this.context.allowsAfter !== true)
      fault(
        "EXPECTED",
        "what is new can only be asked of stored records, within a window; a rule says it as the first time of a value",
        { start: field.start, end: comparator.end },
      );
    return { op: "new" };
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

  private numberTest(field: FilterField, name: ComparatorName): Test {
    const single = () => numberValue(this.lexer, field);
    switch (name) {
      case "over":
        return { op: "ranges", ranges: [from(next(single().floor, 1n))] };
      case "under":
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, next(single().ceil, -1n) ?? -1]] };
      case "at least":
        return { op: "ranges", ranges: [from(single().ceil)] };
      case "at most":
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, single().floor]] };
      case "between": {
        const start = this.lexer.peek().span.start;
        const low = single();
        const middle = this.lexer.mark();
        this.expectAnd();
        const second = this.lexer.peek().span.start;
        const high = single();
        if (low.ceil > high.floor) this.reversed(start, middle, second);
        return { op: "ranges", ranges: [[low.ceil, high.floor]] };
      }
      default:
        return { op: "ranges", ranges: this.list(() => numberRange(this.lexer, field)) };
    }
  }

  /** How much a named value is; null, and nothing read, where something else is asked of it. */
  private amountTest(name: ComparatorName): Test | null {
    const amount = () => decimalValue(this.lexer);
    const [none, all] = [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY];
    switch (name) {
      case "over":
        return { op: "amount", from: amount(), to: all, withFrom: false, withTo: true };
      case "under":
        return { op: "amount", from: none, to: amount(), withFrom: true, withTo: false };
      case "at least":
        return { op: "amount", from: amount(), to: all, withFrom: true, withTo: true };
      case "at most":
        return { op: "amount", from: none, to: amount(), withFrom: true, withTo: true };
      case "between": {
        const start = this.lexer.peek().span.start;
        const from = amount();
        const middle = this.lexer.mark();
        this.expectAnd();
        const second = this.lexer.peek().span.start;
        const to = amount();
        if (from > to) this.reversed(start, middle, second);
        return { op: "amount", from, to, withFrom: true, withTo: true };
      }
      default:
        return null;
    }
  }

  private timeTest(name: ComparatorName): Test {
    if (name === "last") return { op: "last", us: durationValue(this.lexer) };
    const start = this.lexer.peek().span.start;
    const { us: at, lastsUs } = timeValue(this.lexer, this.context);
    switch (name) {
      case "between": {
        const middle = this.lexer.mark();
        this.expectAnd();
        const second = this.lexer.peek().span.start;
        const to = timeValue(this.lexer, this.context).us;
        if (to < at) this.reversed(start, middle, second);
        // ranges of time are [from, to) (semantics 1)
        return { op: "ranges", ranges: [[at, to - 1]] };
      }
      case "over":
        return { op: "ranges", ranges: [[at + 1, Number.POSITIVE_INFINITY]] };
      case "under":
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, at - 1]] };
      case "at least":
        return { op: "ranges", ranges: [[at, Number.POSITIVE_INFINITY]] };
      case "at most":
        return { op: "ranges", ranges: [[Number.NEGATIVE_INFINITY, at]] };
      default:
        // a day is all of it
        return { op: "ranges", ranges: [[at, at + lastsUs - 1]] };
    }
  }

  /** Bounds the wrong way round hold nothing. */
  private reversed(start: number, middle: number, second: number): never {
    const end = this.lexer.mark();
    const source = this.lexer.rest(0);
    const low = source.slice(start, middle).trim();
    const high = source.slice(second, end).trim();
    return fault(
      "WRONG_VALUE",
      `between ${low} and ${high} there is nothing`,
      { start, end: second + high.length },
      `${high} and ${low}`,
    );
  }

  private expectAnd(): void {
    const token = this.lexer.next();
    if (token.type !== "word" || token.text.toLowerCase() !== "and")
      fault(
        "EXPECTED",
        `expected "and" and the upper end, got ${describe(token)}`,
        token.span,
        token.type === "word" ? `and ${token.text}` : null,
      );
  }

  /** One value or several with commas, in parentheses or not. */
  private list<T>(value: () => T): T[] {
    const open = this.lexer.peek().type === "(";
    if (open) this.lexer.next();
    const values: T[] = [];
    for (;;) {
      const quoted = this.lexer.peek().type === "quoted";
      values.push(value());
      if (this.lexer.peek().type === ",") this.lexer.next();
      else if (!this.goesOn(quoted)) break;
    }
    if (open) {
      const close = this.lexer.next();
      if (close.type !== ")") fault("UNCLOSED", `expected ")" or "," in the list, got ${describe(close)}`, close.span);
    }
    return values;
  }
}

/** The whole number next to one; null beyond what there is. */
const next = (count: Count, step: 1n | -1n): Count | null => toCount(BigInt(count) + step);
const from = (low: Count | null): [Count, Count] => (low === null ? [1, 0] : [low, Number.POSITIVE_INFINITY]);

export function wordTest(text: string, span: Span): Test & { op: "has" } {
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
