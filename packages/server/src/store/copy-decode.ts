import { addressFromBytes } from "@halvik/core/base/net";
import type { CopyType } from "./copy-binary.js";

/** Length of what stands before the rows: signature, flags and the length of an extension that none has yet. */
const HEADER_OCTETS = 19;
/** Up to here a number of eight octets is exact: its upper half has 21 bits. */
const EXACT_UPPER = 0x20_0000;

/** Longer texts rarely recur. */
const LONGEST_KNOWN = 32;
const PLACES = 1 << 10;
/** Of a column whose texts were not known so often in a row, none is looked for any more. */
const MOST_MISSES = 500;
const NOTHING = Buffer.alloc(0);

/** A number of four octets with its sign. */
const get32 = (b: Buffer, at: number): number => (b[at]! << 24) | (b[at + 1]! << 16) | (b[at + 2]! << 8) | b[at + 3]!;

/** Whether the octets from a place on are those of a text; what is beyond ASCII is never found. */
function says(body: Buffer, at: number, text: string): boolean {
  for (let i = 0; i < text.length; i++) if (body[at + i] !== text.charCodeAt(i)) return false;
  return true;
}

/**
 * Reads the rows of `COPY … TO STDOUT (FORMAT binary)`, the counterpart of CopyEncoder (PostgreSQL documentation, COPY, "Binary Format"). What takes an
 * eighth of the time that rows as text do (docs/figures.md).
 */
export class CopyDecoder {
  private body: Buffer = NOTHING;
  private at = 0;
  /** What came and was not looked at yet: the next row ends no earlier. */
  private waiting: Buffer[] = [];
  private waitingOctets = 0;
  private wanted = HEADER_OCTETS;
  private isBegun = false;
  private isOver = false;
  private readonly known: string[] = new Array(PLACES);

  private readonly misses: number[];

  /** @param types of the columns that were asked for, in their order */
  constructor(private readonly types: readonly CopyType[]) {
    this.misses = types.map(() => 0);
  }

  /** Takes what comes next, cut anywhere. */
  push(chunk: Buffer): void {
    this.waiting.push(chunk);
    this.waitingOctets += chunk.length;
  }

  /**
   * Reads the values of the next row: ids as text, and what exceeds a number as a bigint.
   * @param values where they are put
   * @returns false where it has not come whole, or after the last
   */
  next(values: unknown[]): boolean {
    if (!this.hasRow()) return false;
    const { body, types } = this;
    let { at } = this;
    const columns = types.length;
    at += 2;
    // numbers are put together octet by octet: the checks of the Buffer's own methods cost more than the reading
    for (let i = 0; i < columns; i++) {
      const octets = get32(body, at);
      at += 4;
      if (octets === -1) values[i] = null;
      else {
        values[i] = types[i] === "text" ? this.text(i, at, octets) : this.value(types[i]!, at, octets);
        at += octets;
      }
    }
    this.at = at;
    return true;
  }

  /** Whether a row has come whole; else how much is wanted until it is worth looking again, so that a long one is not put together for every part. */
  private hasRow(): boolean {
    if (this.isOver) return false;
    for (;;) {
      if (this.isBegun || this.body.length - this.at >= HEADER_OCTETS) {
        if (!this.isBegun) this.at += HEADER_OCTETS;
        this.isBegun = true;
        const end = this.endOfRow();
        if (this.isOver) return false;
        if (end <= this.body.length) return true;
        this.wanted = end - this.at;
      }
      if (this.waitingOctets === 0 || this.body.length - this.at + this.waitingOctets < this.wanted) return false;
      this.body = Buffer.concat([this.body.subarray(this.at), ...this.waiting]);
      this.at = 0;
      this.waiting = [];
      this.waitingOctets = 0;
    }
  }

  /** Where the row ends at the earliest, as far as it has come. */
  private endOfRow(): number {
    const { body, types } = this;
    let at = this.at + 2;
    if (at > body.length) return at;
    const columns = body.readInt16BE(this.at);
    if (columns === -1) {
      this.isOver = true;
      return at;
    }
    if (columns !== types.length) throw new Error(`COPY gave ${columns} columns where ${types.length} were asked for`);
    for (let i = 0; i < columns; i++) {
      if (at + 4 > body.length) return at + 4;
      at += 4 + Math.max(0, get32(body, at));
      if (at > body.length) return at;
    }
    return at;
  }

  private value(type: CopyType, at: number, octets: number): unknown {
    const { body } = this;
    switch (type) {
      case "int2":
        return ((body[at]! << 24) >> 16) | body[at + 1]!;
      case "int4":
        return get32(body, at);
      case "int8": {
        const upper = get32(body, at);
        return upper < EXACT_UPPER && upper >= -EXACT_UPPER
          ? upper * 0x1_0000_0000 + (get32(body, at + 4) >>> 0)
          : body.readBigInt64BE(at);
      }
      case "record id":
      case "id text":
        return body.readBigInt64BE(at).toString();
      case "text":
        return body.toString("utf8", at, at + octets);
      case "inet":
        return this.address(at, octets);
      case "jsonb":
        // a version of the form comes first
        return JSON.parse(body.toString("utf8", at + 1, at + octets));
      case "bytea":
        return Buffer.from(body.subarray(at, at + octets));
      case "text[]":
        return this.list(at, "text");
      case "inet[]":
        return this.list(at, "inet");
    }
  }

  /** What says the same as what was read last in this place of the table is that text: names recur, and making a text of octets takes longest. */
  private text(column: number, at: number, octets: number): string {
    const { body, known, misses } = this;
    if (octets > LONGEST_KNOWN || misses[column]! > MOST_MISSES) return body.toString("utf8", at, at + octets);
    let hash = octets;
    for (let i = 0; i < octets; i++) hash = (Math.imul(hash, 31) + body[at + i]!) | 0;
    const place = hash & (PLACES - 1);
    const had = known[place];
    if (had !== undefined && had.length === octets && says(body, at, had)) {
      misses[column] = 0;
      return had;
    }
    misses[column]!++;
    const text = body.toString("utf8", at, at + octets);
    known[place] = text;
    return text;
  }

  /** Family, length of the prefix, whether it is a network, length, octets. */
  private address(at: number, octets: number): string {
    const { body } = this;
    return octets === 8
      ? `${body[at + 4]}.${body[at + 5]}.${body[at + 6]}.${body[at + 7]}`
      : addressFromBytes(body.subarray(at + 4, at + octets));
  }

  /** Dimensions, whether there are nulls, the type; for the one dimension its length and lower bound. */
  private list(start: number, type: CopyType): unknown[] {
    const { body } = this;
    if (body.readInt32BE(start) === 0) return [];
    const out: unknown[] = new Array(body.readInt32BE(start + 12));
    let at = start + 20;
    for (let i = 0; i < out.length; i++) {
      const octets = body.readInt32BE(at);
      at += 4;
      out[i] = octets === -1 ? null : this.value(type, at, octets);
      at += Math.max(0, octets);
    }
    return out;
  }
}
