/**
 * Reads a pattern of RE2 syntax that RE2 has accepted, as far as two things need it: the same pattern for folded text, and the literal
 * texts that whatever it matches must hold.
 */
type Node =
  | { readonly type: "char"; readonly code: number }
  /** A class, a dot, `\d`: one character of several. `text` as it is written for folded text. */
  | { readonly type: "set"; readonly text: string }
  /** Takes no room: `^`, `\b`, flags. */
  | { readonly type: "mark"; readonly text: string }
  | { readonly type: "group"; readonly open: string; readonly body: Node }
  | { readonly type: "concat" | "alternation"; readonly items: readonly Node[] }
  | { readonly type: "repeat"; readonly item: Node; readonly least: number; readonly suffix: string };

/** What cannot be said of text whose case is folded. */
export class CaseFault extends Error {}

const NAME = /^\(\?P?<[A-Za-z0-9_]+>/;
const FLAGS = /^\(\?([imsU]*)(-[imsU]+)?([:)])/;
const REPEAT = /^(?:[*+?]|\{\d+(?:,\d*)?\})\??/;
const UPPER = /^(?:\\p\{?Lu\}?|\\P\{?Ll\}?|\\p\{\^Ll\}|\\P\{\^Lu\}|\[:upper:\]|\[:\^lower:\])$/;

class Reader {
  private at = 0;

  constructor(
    private readonly source: string,
    private readonly folds: boolean,
  ) {}

  all(): Node {
    return this.alternation();
  }

  private alternation(): Node {
    const items = [this.concat()];
    while (this.source[this.at] === "|") {
      this.at++;
      items.push(this.concat());
    }
    return items.length === 1 ? items[0]! : { type: "alternation", items };
  }

  private concat(): Node {
    const items: Node[] = [];
    while (this.at < this.source.length && this.source[this.at] !== "|" && this.source[this.at] !== ")") {
      if (this.source.startsWith("\\Q", this.at)) {
        const end = this.source.indexOf("\\E", this.at);
        for (const c of this.source.slice(this.at + 2, end < 0 ? undefined : end))
          items.push(this.char(c.codePointAt(0)!));
        this.at = end < 0 ? this.source.length : end + 2;
        continue;
      }
      let item = this.one();
      for (let suffix = REPEAT.exec(this.source.slice(this.at, this.at + 16)); suffix !== null; ) {
        this.at += suffix[0].length;
        const counted = /^\{(\d+)/.exec(suffix[0]);
        const least = suffix[0][0] === "+" ? 1 : counted === null ? 0 : Number(counted[1]);
        item = { type: "repeat", item, least, suffix: suffix[0] };
        suffix = REPEAT.exec(this.source.slice(this.at, this.at + 16));
      }
      items.push(item);
    }
    return items.length === 1 ? items[0]! : { type: "concat", items };
  }

  private one(): Node {
    const c = this.source[this.at]!;
    if (c === "(") return this.group();
    if (c === "[") return { type: "set", text: this.set() };
    if (c === "\\") return this.escape();
    if (c === ".") {
      this.at++;
      return { type: "set", text: "." };
    }
    if (c === "^" || c === "$") {
      this.at++;
      return { type: "mark", text: c };
    }
    return this.char(this.takePoint());
  }

  private group(): Node {
    const rest = this.source.slice(this.at, this.at + 200);
    const flags = FLAGS.exec(rest);
    let open = "(";
    if (flags !== null) {
      const [all, on, off, end] = flags as unknown as [string, string, string | undefined, string];
      if (this.folds && off?.includes("i")) throw new CaseFault("case never matters here: leave the flag (?-i) out");
      const kept = `${this.folds ? on.replaceAll("i", "") : on}${off ?? ""}`;
      this.at += all.length;
      if (end === ")") return { type: "mark", text: kept === "" ? "" : `(?${kept})` };
      open = `(?${kept}:`;
    } else {
      const name = NAME.exec(rest);
      open = name === null ? "(" : name[0];
      this.at += open.length;
    }
    const body = this.alternation();
    this.at++;
    return { type: "group", open, body };
  }

  /** One escape outside of a class. */
  private escape(): Node {
    const text = this.escapeText();
    const code = codeOf(text);
    if (code !== null) return this.char(code);
    if (/^\\[AzZbB]$/.test(text)) return { type: "mark", text };
    return { type: "set", text: this.folds && UPPER.test(text) ? `[${text}a-z]` : text };
  }

  private escapeText(): string {
    const rest = this.source.slice(this.at, this.at + 60);
    const text =
      /^\\(?:x\{[0-9A-Fa-f]+\}|x[0-9A-Fa-f]{2}|[pP]\{\^?[A-Za-z_]+\}|[pP][A-Za-z]|0[0-7]{0,2}|[1-7][0-7]{1,2}|[\s\S])/u.exec(
        rest,
      )?.[0] ?? rest[0]!;
    this.at += text.length;
    return text;
  }

  /** A class, with the lower case of every capital letter it holds. */
  private set(): string {
    let out = "[";
    this.at++;
    if (this.source[this.at] === "^") {
      out += "^";
      this.at++;
    }
    for (let first = true; this.at < this.source.length; first = false) {
      if (this.source[this.at] === "]" && !first) break;
      const posix =
        this.source[this.at] === "[" ? /^\[:\^?[a-z]+:\]/.exec(this.source.slice(this.at, this.at + 20)) : null;
      if (posix !== null) {
        this.at += posix[0].length;
        out += posix[0] + (this.folds && UPPER.test(posix[0]) ? "a-z" : "");
        continue;
      }
      const low = this.setItem();
      const from = codeOf(low);
      if (from === null || this.source[this.at] !== "-" || this.source[this.at + 1] === "]") {
        out += low + (this.folds ? (from === null ? (UPPER.test(low) ? "a-z" : "") : lowered(from, from)) : "");
        continue;
      }
      this.at++;
      const high = this.setItem();
      out += `${low}-${high}${this.folds ? lowered(from, codeOf(high) ?? from) : ""}`;
    }
    this.at++;
    return `${out}]`;
  }

  private setItem(): string {
    if (this.source[this.at] === "\\") return this.escapeText();
    const c = String.fromCodePoint(this.takePoint());
    return c === "[" || c === "]" || c === "^" ? `\\${c}` : c;
  }

  private takePoint(): number {
    const point = this.source.codePointAt(this.at)!;
    this.at += point > 0xffff ? 2 : 1;
    return point;
  }

  private char(code: number): Node {
    return { type: "char", code: this.folds && code >= 65 && code <= 90 ? code + 32 : code };
  }
}

/** Capital letters within a range, as the range of their small ones. */
function lowered(from: number, to: number): string {
  const low = Math.max(from, 65);
  const high = Math.min(to, 90);
  return low > high ? "" : `${String.fromCharCode(low + 32)}-${String.fromCharCode(high + 32)}`;
}

const CONTROLS: Readonly<Record<string, number>> = { a: 7, f: 12, n: 10, r: 13, t: 9, v: 11 };

/** The character an escape or a character stands for; null: more than one. */
function codeOf(text: string): number | null {
  if (text[0] !== "\\") return text.codePointAt(0) ?? null;
  const rest = text.slice(1);
  if (Object.hasOwn(CONTROLS, rest)) return CONTROLS[rest]!;
  const hex = /^x\{?([0-9A-Fa-f]+)\}?$/.exec(rest);
  if (hex !== null) return Number.parseInt(hex[1]!, 16);
  if (/^[0-7]+$/.test(rest)) return Number.parseInt(rest, 8);
  return /^[A-Za-z]/.test(rest) ? null : (rest.codePointAt(0) ?? null);
}

function write(node: Node): string {
  switch (node.type) {
    case "char":
      return node.code < 128 && !/[A-Za-z0-9_ ]/.test(String.fromCharCode(node.code))
        ? `\\x{${node.code.toString(16)}}`
        : String.fromCodePoint(node.code);
    case "set":
    case "mark":
      return node.text;
    case "group":
      return `${node.open}${write(node.body)})`;
    case "concat":
      return node.items.map(write).join("");
    case "alternation":
      return node.items.map(write).join("|");
    case "repeat":
      return `${write(node.item)}${node.suffix}`;
  }
}

/** Texts of which whatever a pattern matches holds at least one. */
export type AnyOf = readonly string[];

const MOST_CLAUSES = 4;
const MOST_CHOICES = 16;
/** Nearly every text holds a single given character. */
const LEAST_LENGTH = 2;

/** What must be there, as "one of these and one of those". */
function required(node: Node): AnyOf[] {
  const clauses: AnyOf[] = [];
  let run = "";
  const end = () => {
    if (run !== "") clauses.push([run]);
    run = "";
  };
  const walk = (part: Node): void => {
    switch (part.type) {
      case "char":
        run += String.fromCodePoint(part.code);
        return;
      case "concat":
        part.items.forEach(walk);
        return;
      case "group":
        walk(part.body);
        return;
      case "alternation": {
        end();
        const choices = part.items.map((item) => best(required(item)));
        if (choices.every((c) => c !== null) && choices.flat().length <= MOST_CHOICES) clauses.push(choices.flat());
        return;
      }
      case "repeat":
        if (part.least > 0) walk(part.item);
        end();
        return;
      default:
        end();
    }
  };
  walk(node);
  end();
  return clauses;
}

const shortest = (clause: AnyOf): number => Math.min(...clause.map((text) => text.length));
const best = (clauses: readonly AnyOf[]): AnyOf | null =>
  clauses.reduce<AnyOf | null>((a, b) => (a === null || shortest(b) > shortest(a) ? b : a), null);

/**
 * @param folds whether case does not matter (ASCII letters only): then the pattern is rewritten for folded text
 * @returns the pattern as it is to be compiled, and the texts that have to be there, folded like it, the longest first
 * @throws {CaseFault} where a flag asks for what folded text cannot tell
 */
export function readPattern(
  source: string,
  folds: boolean,
): { readonly source: string; readonly literals: readonly AnyOf[] } {
  const node = new Reader(source, folds).all();
  return {
    source: write(node),
    literals: required(node)
      .filter((clause) => shortest(clause) >= LEAST_LENGTH)
      .sort((a, b) => shortest(b) - shortest(a))
      .slice(0, MOST_CLAUSES),
  };
}
