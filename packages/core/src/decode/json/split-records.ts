import type { DecodeProblem } from "../../base/bytes/index.js";

/** `at`: its line, or its place in an array, from 1. */
export type JsonItem =
  | { readonly at: number; readonly json: string }
  | { readonly at: number; readonly problem: DecodeProblem };

/** Characters of one record. */
export const MAX_RECORD = 256 * 1024;

/**
 * Cuts JSON into records as it comes, in bounded memory and linear time: one object after another (an object a line among them), each over
 * as many lines as it likes, or the elements of arrays. A record comes as JSON text of its own; what is no object is a problem with its
 * line or place, and what stands around it is read all the same: an object that does not end costs the lines that are broken, no more.
 */
export class JsonRecords {
  private text = "";
  /** Where to go on looking, and where the value under way begins; -1: between values. */
  private at = 0;
  private start = -1;
  private depth = 0;
  private inString = false;
  private inArray = false;
  /** Elements of the array so far. */
  private place = 0;
  private line = 1;
  private startLine = 1;
  /** Characters of a value too long to be kept that are gone already. */
  private dropped = 0;

  *push(chunk: string): Generator<JsonItem> {
    this.text = this.start < 0 ? this.text.slice(this.at) + chunk : this.text + chunk;
    if (this.start < 0) this.at = 0;
    yield* this.scan();
    if (this.start > 0) {
      this.text = this.text.slice(this.start);
      this.at -= this.start;
      this.start = 0;
    }
    if (this.start === 0 && this.text.length > MAX_RECORD) yield* this.tooLong();
  }

  *end(): Generator<JsonItem> {
    if (this.start >= 0) {
      if (this.dropped > 0) yield this.lengthProblem(this.dropped + this.text.length);
      else if (this.inArray)
        yield bad(["line", this.line], `expected the end of record ${this.place + 1}, got the end`);
      else yield* linesOf(this.text, this.startLine);
    } else if (this.inArray) yield bad(["line", this.line], "expected ] at the end of the array, got the end");
  }

  private *scan(): Generator<JsonItem> {
    const { text } = this;
    for (; this.at < text.length; this.at++) {
      const c = text.charCodeAt(this.at);
      if (c === LF) {
        this.line++;
        // neither a plain value nor a string goes on over the end of a line: what is under way is broken, the next line may be whole
        const isOver = this.start >= 0 && !this.inArray && (this.depth === 0 || this.inString || this.dropped > 0);
        if (isOver) yield* this.take(this.at);
        continue;
      }
      if (this.start < 0) {
        if (c <= SPACE || c === 0xfeff || (this.inArray && c === COMMA)) continue;
        if (c === OPEN_LIST && !this.inArray) {
          this.inArray = true;
          this.place = 0;
          continue;
        }
        if (c === CLOSE_LIST && this.inArray) {
          this.inArray = false;
          continue;
        }
        this.start = this.at;
        this.startLine = this.line;
        this.depth = 0;
        this.inString = false;
      }
      if (this.inString) {
        if (c === BACKSLASH) this.at++;
        else if (c === QUOTE) this.inString = false;
        continue;
      }
      if (c === QUOTE) this.inString = true;
      else if (c === OPEN_OBJECT || c === OPEN_LIST) this.depth++;
      else if (c === CLOSE_OBJECT || c === CLOSE_LIST) {
        if (this.depth === 0 && this.inArray && c === CLOSE_LIST) {
          yield* this.take(this.at);
          this.at--;
        } else if (this.depth > 0 && --this.depth === 0) yield* this.take(this.at + 1);
      } else if (this.depth === 0 && this.inArray && c === COMMA) yield* this.take(this.at);
    }
    // a backslash at the end of a piece: what it stands before comes with the next
  }

  /** The value under way ends here. */
  private *take(end: number): Generator<JsonItem> {
    const json = this.text.slice(this.start, end).trim();
    const length = this.dropped + json.length;
    const where: Where = this.inArray ? ["record", ++this.place] : ["line", this.startLine];
    this.start = -1;
    this.inString = false;
    this.depth = 0;
    if (this.dropped > 0) {
      this.dropped = 0;
      yield tooLong(where, length);
    } else if (this.inArray) yield asItem(json, where);
    else yield* valueOrLines(json, this.startLine);
    if (end > this.at) this.at = end - 1;
  }

  /** A value longer than a record may be: if it is lines that are meant, they are read by themselves; else it is passed over. */
  private *tooLong(): Generator<JsonItem> {
    const newline = this.inArray || this.dropped > 0 ? -1 : this.text.lastIndexOf("\n");
    if (newline < 0) {
      this.dropped += this.at;
      this.text = this.text.slice(this.at);
      this.at = 0;
      return;
    }
    yield* linesOf(this.text.slice(0, newline), this.startLine);
    this.text = this.text.slice(newline + 1);
    this.start = -1;
    this.at = 0;
    yield* this.scan();
    if (this.start > 0) {
      this.text = this.text.slice(this.start);
      this.at -= this.start;
      this.start = 0;
    }
  }

  private lengthProblem(length: number): JsonItem {
    return tooLong(this.inArray ? ["record", this.place + 1] : ["line", this.startLine], length);
  }
}

const LF = 10;
const SPACE = 32;
const QUOTE = 34;
const COMMA = 44;
const OPEN_LIST = 91;
const BACKSLASH = 92;
const CLOSE_LIST = 93;
const OPEN_OBJECT = 123;
const CLOSE_OBJECT = 125;

/** A value over several lines that is none may be lines of which some are. */
function* valueOrLines(json: string, line: number): Generator<JsonItem> {
  const item = asItem(json, ["line", line]);
  if ("problem" in item && json.includes("\n")) yield* linesOf(json, line);
  else yield item;
}

/** Lines by themselves, of a value that did not end. */
function* linesOf(text: string, firstLine: number): Generator<JsonItem> {
  let line = firstLine;
  for (const part of text.split("\n")) {
    const one = part.trim();
    if (one !== "") yield asItem(one, ["line", line]);
    line++;
  }
}

type Where = readonly ["line" | "record", number];

function asItem(json: string, where: Where): JsonItem {
  if (json.length > MAX_RECORD) return tooLong(where, json.length);
  let value: unknown;
  try {
    value = JSON.parse(json);
  } catch (e) {
    return bad(where, e instanceof Error ? e.message.slice(0, 120) : "not JSON");
  }
  if (typeof value === "object" && value !== null && !Array.isArray(value)) return { at: where[1], json };
  return bad(
    where,
    `expected an object, got ${Array.isArray(value) ? "an array" : value === null ? "null" : typeof value}`,
  );
}

const tooLong = (where: Where, length: number): JsonItem =>
  bad(where, `expected at most ${MAX_RECORD} characters, got ${length}`);

const bad = ([what, at]: Where, message: string): JsonItem => ({
  at,
  problem: { code: "BAD_JSON", offset: 0, message: `JSON ${what} ${at}: ${message}` },
});
