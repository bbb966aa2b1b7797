import { type Lexer, signIn, type Token } from "./lexer.js";
import { startsComparator } from "./read-comparator.js";
import { isReserved } from "./values.js";
import type { FilterField, Vocabulary } from "./vocabulary.js";

/** What comes next in a text that is being read; nothing is read by asking. */
export class LookAhead {
  constructor(
    private readonly vocabulary: Vocabulary,
    private readonly lexer: Lexer,
  ) {}

  /** Whether a word to be searched for comes next: words beside one another are all looked for, in any order (`k.lind failed` is `k.lind and failed`). */
  goesOnWithWords(): boolean {
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

  /**
   * The value after an "or" that goes on with the values of a comparison; null, and nothing read, when another part begins there. Text in
   * quotes stands for itself, unless the value before was in quotes too.
   */
  alternative(afterQuoted: boolean): (Token & { type: "word" | "quoted" }) | null {
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
  fieldOfTwo(first: string): { readonly field: FilterField; readonly end: number } | null {
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

  isWord(text: string): boolean {
    const token = this.lexer.peek();
    return token.type === "word" && token.text.toLowerCase() === text;
  }
}
