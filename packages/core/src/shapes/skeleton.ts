import { wholeUpTo } from "../base/text/index.js";

/** Stands for a value in a skeleton; what arrives has no such character left. */
export const VALUE = "\u0002";

/** Beyond so many characters a message is not told apart: what it is stands at its beginning. */
const MOST_CHARACTERS = 2_048;
/** A word longer than this is no word of a language. */
const LONGEST_WORD = 40;
/** An IPv6 address with one of IPv4 at its end has 45 characters (RFC 4291 section 2.2), an InfiniBand one of hardware 59. */
const LONGEST_ADDRESS = 59;
/** A quoted value may be so long; beyond it the quote is a mark like any other. */
const LONGEST_QUOTE = 512;

const SPACE = 1;
/** Parts words, and stays in the skeleton. */
const MARK = 2;
const DIGIT = 4;
/** A digit of base 16. */
const HEX = 8;
const LETTER = 16;
/** Parts paths. */
const SLASHED = 32;
/** Makes a word a name of somebody or something: an address of mail, an account of a domain. */
const SPECIAL = 64;
const DOTTED = 128;
const ENDS_WORD = SPACE | MARK;

/** What a character is, by its code; all beyond ASCII belong to words, and are nothing more. */
const CLASS = new Uint8Array(128);
for (let code = 0; code <= 0x20; code++) CLASS[code] = SPACE;
CLASS[0x7f] = SPACE;
const classify = (characters: string, as: number): void => {
  for (const character of characters) CLASS[character.charCodeAt(0)]! |= as;
};
classify(",;:()[]{}<>|\"'=!?", MARK);
classify("0123456789", DIGIT | HEX);
classify("abcdefABCDEF", HEX);
classify("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ", LETTER);
classify("/", SLASHED);
classify("@\\", SPECIAL);
classify(".", DOTTED);

const classOf = (code: number): number => (code < 128 ? CLASS[code]! : 0);
const is = (code: number, what: number): boolean => code < 128 && (CLASS[code]! & what) !== 0;
const isSpace = (code: number): boolean => is(code, SPACE);
const isDigit = (code: number): boolean => is(code, DIGIT);

const [QUOTE, APOSTROPHE, COLON, COMMA, EQUALS, DOT, SLASH, BACKSLASH, PERCENT] = [
  0x22, 0x27, 0x3a, 0x2c, 0x3d, 0x2e, 0x2f, 0x5c, 0x25,
] as const;

const MONTHS = new Set("Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split(" "));
const WEEKDAYS = new Set("Mon Tue Wed Thu Fri Sat Sun".split(" "));

/** Where a value stands in a text: [start, end). */
export type ValueSpan = readonly [start: number, end: number];

/**
 * A text without its values: each number, address, time, path, quotation, what follows “=”, and each of `names`, is one `VALUE`; runs of
 * white space are one space. What has the same skeleton says the same of other things. One pass, in time linear to the text, of which
 * only the beginning is looked at.
 * @param names what the record itself says is a name: of users, its host, an interface
 * @param spans filled, where given, with where the values stand, in order
 */
export function skeletonOf(text: string, names: readonly string[] = [], spans?: ValueSpan[]): string {
  const end = wholeUpTo(text, MOST_CHARACTERS);
  let out = "";
  /** Where what is not written yet begins. */
  let from = 0;
  let at = 0;
  /** Where the last value ends in the text, and its beginning; what follows at once may belong to it. */
  let valueStart = -1;
  let valueEnd = -1;
  /** The word before, with only a space since. */
  let wordStart = -1;
  let wordEnd = -1;

  const value = (start: number, stop: number): void => {
    out += text.slice(from, start) + VALUE;
    from = stop;
    valueStart = start;
    valueEnd = stop;
    spans?.push([start, stop]);
  };
  /** The value before goes on to here. */
  const extend = (stop: number): void => {
    from = stop;
    valueEnd = stop;
    if (spans) spans[spans.length - 1] = [valueStart, stop];
  };
  /** A value, unless it goes on one that ends just before with a colon or a comma between: a time, an address with its port, a list. */
  const valueAfter = (start: number, stop: number): void => {
    const joins =
      valueEnd >= 0 &&
      start === valueEnd + 1 &&
      (text.charCodeAt(valueEnd) === COLON || text.charCodeAt(valueEnd) === COMMA) &&
      out.endsWith(VALUE) &&
      from === valueEnd;
    if (joins) extend(stop);
    else if (wordEnd >= 0 && isDateWord(text, wordStart, wordEnd, start)) {
      // "Nov 26": the month is of the date
      out += text.slice(from, wordStart);
      from = wordStart;
      value(wordStart, stop);
    } else value(start, stop);
  };

  while (at < end) {
    const code = text.charCodeAt(at);
    const kind = classOf(code);
    if (kind === SPACE) {
      const start = at;
      while (at < end && isSpace(text.charCodeAt(at))) at++;
      if (at - start > 1 || code !== 0x20) {
        out += `${text.slice(from, start)} `;
        from = at;
        wordEnd = -1;
      }
      continue;
    }
    if (kind === MARK) {
      if (code === QUOTE || code === APOSTROPHE) {
        const close = closingQuote(text, at, end);
        if (close > at + 1 && text.charCodeAt(close + 1) !== COLON) {
          value(at + 1, close);
          at = close + 1;
          wordEnd = -1;
          continue;
        }
        if (close > at + 1) {
          // the name of a member: what it is called, whatever it is called
          at = close + 1;
          wordEnd = -1;
          continue;
        }
      } else if (code === EQUALS && text.charCodeAt(at + 1) !== EQUALS && text.charCodeAt(at - 1) !== EQUALS) {
        const start = at + 1;
        const first = text.charCodeAt(start);
        if (first !== QUOTE && first !== APOSTROPHE) {
          let stop = start;
          while (stop < end && !endsAssigned(text.charCodeAt(stop))) stop++;
          value(start, stop);
          at = stop;
          wordEnd = -1;
          continue;
        }
      }
      if (code === COLON && text.charCodeAt(at + 1) === COLON && !isWithinWord(text, at)) {
        // ::1
        const close = hexWithColons(text, at, end);
        if (close > 0) {
          valueAfter(at, close);
          at = close;
          wordEnd = -1;
          continue;
        }
      }
      at++;
      wordEnd = -1;
      continue;
    }
    const start = at;
    const numbered = hexWithColons(text, at, end);
    if (numbered > 0) {
      at = numbered;
      valueAfter(start, at);
      wordEnd = -1;
      continue;
    }
    let any = 0;
    let all = 0xff;
    let slashes = 0;
    let innerDot = false;
    while (at < end) {
      const c = text.charCodeAt(at);
      const k = classOf(c);
      if ((k & ENDS_WORD) !== 0) break;
      any |= k;
      all &= k;
      if ((k & SLASHED) !== 0) slashes++;
      else if (
        (k & DOTTED) !== 0 &&
        at > start &&
        is(text.charCodeAt(at - 1), LETTER) &&
        is(text.charCodeAt(at + 1), LETTER)
      )
        innerDot = true;
      at++;
    }
    let stop = at;
    // a full stop belongs to the sentence
    while (stop > start + 1 && text.charCodeAt(stop - 1) === DOT) stop--;
    const isValue =
      !isMnemonic(text, start, stop) &&
      ((any & (DIGIT | SPECIAL)) !== 0 ||
        innerDot ||
        stop - start > LONGEST_WORD ||
        ((all & HEX) !== 0 && stop - start >= 8) ||
        (slashes > 0 && (slashes > 1 || text.charCodeAt(start) === SLASH) && stop - start > 1) ||
        isNamed(text, start, stop, names));
    if (isValue) {
      valueAfter(start, stop);
      wordEnd = -1;
    } else if (wordEnd < 0 || !isDateWord(text, wordStart, wordEnd, start)) {
      wordStart = start;
      wordEnd = stop === at ? stop : -1;
    } else wordEnd = stop === at ? stop : -1;
  }
  out += text.slice(from, end);
  return end < text.length ? out + REST : out;
}

/** Whether a word and what begins at `next` are the beginning of a date: "Nov 26", "Thu Nov 26". */
function isDateWord(text: string, start: number, stop: number, next: number): boolean {
  if (next !== stop + 1) return false;
  const length = stop - start;
  if (length !== 3 && length !== 7) return false;
  const word = text.slice(start, stop);
  return (
    MONTHS.has(word) ||
    WEEKDAYS.has(word) ||
    (length === 7 && WEEKDAYS.has(word.slice(0, 3)) && MONTHS.has(word.slice(4)))
  );
}

/** Whether what stands here follows a word at once. */
const isWithinWord = (text: string, at: number): boolean => {
  if (at === 0) return false;
  return !is(text.charCodeAt(at - 1), ENDS_WORD);
};

/** Where an address of hardware or of IPv6 that begins here ends; 0: there is none. */
function hexWithColons(text: string, start: number, end: number): number {
  let colons = 0;
  let i = start;
  const last = Math.min(end, start + LONGEST_ADDRESS + 1);
  for (; i < last; i++) {
    const c = text.charCodeAt(i);
    if (c === COLON) colons++;
    else if (!is(c, HEX)) break;
  }
  // a colon at the end is of the sentence
  if (text.charCodeAt(i - 1) === COLON) {
    i--;
    colons--;
  }
  if (colons < 2 || i - start > LONGEST_ADDRESS) return 0;
  // what an IPv4 address ends, or a prefix length
  while (i < end && (text.charCodeAt(i) === DOT || text.charCodeAt(i) === SLASH) && isDigit(text.charCodeAt(i + 1))) {
    i++;
    while (i < end && isDigit(text.charCodeAt(i))) i++;
  }
  return i < end && !is(text.charCodeAt(i), ENDS_WORD | DIGIT | DOTTED) ? 0 : i;
}

/** Names of messages such as %LINK-3-UPDOWN: their digits are part of what they are. */
function isMnemonic(text: string, start: number, stop: number): boolean {
  if (text.charCodeAt(start) !== PERCENT || stop - start < 4) return false;
  for (let i = start + 1; i < stop; i++) {
    const c = text.charCodeAt(i);
    const isPart = (c >= 0x41 && c <= 0x5a) || (c >= 0x30 && c <= 0x39) || c === 0x2d || c === 0x5f;
    if (!isPart) return false;
  }
  return true;
}

function isNamed(text: string, start: number, stop: number, names: readonly string[]): boolean {
  for (const name of names) if (name.length === stop - start && text.startsWith(name, start)) return true;
  return false;
}

/** Where the quotation that opens here closes; -1: it opens none, or closes too far away. */
function closingQuote(text: string, open: number, end: number): number {
  if (isWithinWord(text, open)) return -1;
  const mark = text.charCodeAt(open);
  const last = Math.min(end, open + LONGEST_QUOTE);
  for (let i = open + 1; i < last; i++) {
    const c = text.charCodeAt(i);
    if (c === BACKSLASH) i++;
    else if (c === mark) return i;
  }
  return -1;
}

/** What ends the value behind “=”. */
function endsAssigned(code: number): boolean {
  return (
    isSpace(code) ||
    code === COMMA ||
    code === 0x3b ||
    code === 0x29 ||
    code === 0x5d ||
    code === 0x7c ||
    code === QUOTE
  );
}

/** Beyond so many tokens messages are not told apart. */
const MOST_TOKENS = 96;
/** Stands for all that is not looked at. */
export const REST = "…";

/** The tokens of a skeleton, the first of many: words, marks and values, each with the space before it. */
export function tokensOf(skeleton: string): string[] {
  const tokens: string[] = [];
  let at = 0;
  while (at < skeleton.length) {
    if (tokens.length === MOST_TOKENS) {
      tokens.push(REST);
      break;
    }
    const start = at;
    if (skeleton.charCodeAt(at) === 0x20) at++;
    const first = skeleton[at] ?? "";
    if (first === VALUE || is(first.charCodeAt(0), MARK)) at++;
    else
      while (at < skeleton.length) {
        const c = skeleton.charCodeAt(at);
        if (c === 0x20 || skeleton[at] === VALUE || is(c, MARK)) break;
        at++;
      }
    // a space at the very end stands by itself
    if (at === start) at++;
    tokens.push(skeleton.slice(start, at));
  }
  return tokens;
}

/** Whether a token is a value. */
export const isValueToken = (token: string): boolean => token === VALUE || token === ` ${VALUE}`;

/** Whether a token parts words, and says nothing by itself. */
export const isMarkToken = (token: string): boolean => {
  const at = token.charCodeAt(0) === 0x20 ? 1 : 0;
  return token.length <= at || (token.length === at + 1 && is(token.charCodeAt(at), MARK));
};
