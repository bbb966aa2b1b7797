import { VarintReader, VarintWriter } from "./varint.js";

/** Rows of one part of a segment, as a bitmap by their ordinal. */
export class RowSet {
  readonly words: Uint32Array;

  constructor(readonly rows: number) {
    this.words = new Uint32Array((rows + 31) >>> 5);
  }

  static all(rows: number): RowSet {
    return new RowSet(rows).addRange(0, rows);
  }

  clone(): RowSet {
    const copy = new RowSet(this.rows);
    copy.words.set(this.words);
    return copy;
  }

  add(row: number): void {
    this.words[row >>> 5]! |= 1 << (row & 31);
  }

  remove(row: number): void {
    this.words[row >>> 5]! &= ~(1 << (row & 31));
  }

  has(row: number): boolean {
    return (this.words[row >>> 5]! & (1 << (row & 31))) !== 0;
  }

  addRange(from: number, to: number): this {
    for (let row = from; row < to; ) {
      if ((row & 31) === 0 && row + 32 <= to) {
        this.words[row >>> 5] = 0xffff_ffff;
        row += 32;
      } else this.add(row++);
    }
    return this;
  }

  and(other: RowSet): this {
    for (let i = 0; i < this.words.length; i++) this.words[i]! &= other.words[i]!;
    return this;
  }

  or(other: RowSet): this {
    for (let i = 0; i < this.words.length; i++) this.words[i]! |= other.words[i]!;
    return this;
  }

  /** Turns round in place: what was out is in. */
  not(): this {
    for (let i = 0; i < this.words.length; i++) this.words[i] = ~this.words[i]!;
    const beyond = this.rows & 31;
    if (beyond !== 0) this.words[this.words.length - 1]! &= (1 << beyond) - 1;
    return this;
  }

  /** How many there are, of all or of the rows from one multiple of 32 up to another. */
  count(from = 0, to = this.rows): number {
    let sum = 0;
    for (let i = from >>> 5; i < this.words.length && i * 32 < to; i++) {
      let word = this.words[i]!;
      // population count: Hacker's Delight, 5-1
      word -= (word >>> 1) & 0x5555_5555;
      word = (word & 0x3333_3333) + ((word >>> 2) & 0x3333_3333);
      sum += Math.imul((word + (word >>> 4)) & 0x0f0f_0f0f, 0x0101_0101) >>> 24;
    }
    return sum;
  }

  isEmpty(): boolean {
    return this.words.every((word) => word === 0);
  }

  /** Ordinals of [from, to), ascending. */
  list(from = 0, to = this.rows): number[] {
    const out: number[] = [];
    for (let i = from >>> 5; i < this.words.length && i * 32 < to; i++) {
      for (let word = this.words[i]!; word !== 0; word &= word - 1) {
        const row = i * 32 + 31 - Math.clz32(word & -word);
        if (row >= from && row < to) out.push(row);
      }
    }
    return out;
  }
}

const DELTAS = 0;
const RUNS = 1;
const BITMAP = 2;

/** Writes ascending ordinals in whichever of three forms is shortest: distances, runs, or a bitmap. One encoder serves many terms. */
export class RowsEncoder {
  private readonly deltas = new VarintWriter();
  private readonly runs = new VarintWriter();

  constructor(private readonly rows: number) {}

  /** @returns how many bytes it took */
  encode(ordinals: readonly number[], out: VarintWriter): number {
    const shortest = this.shortest(ordinals);
    if (shortest.length <= 1 + this.rows / 8) {
      out.octets(shortest.written());
      return shortest.length;
    }
    const set = new RowSet(this.rows);
    for (const row of ordinals) set.add(row);
    const bitmap = new Uint8Array(1 + set.words.length * 4);
    bitmap[0] = BITMAP;
    const view = new DataView(bitmap.buffer);
    set.words.forEach((word, i) => {
      view.setUint32(1 + i * 4, word, true);
    });
    out.octets(bitmap);
    return bitmap.length;
  }

  private shortest(ordinals: readonly number[]): VarintWriter {
    const { deltas, runs } = this;
    deltas.restart();
    deltas.number(DELTAS);
    let last = -1;
    for (const row of ordinals) {
      deltas.number(row - last - 1);
      last = row;
    }
    // a run takes two numbers: nothing to win where rows are few
    if (ordinals.length < 3) return deltas;
    runs.restart();
    runs.number(RUNS);
    let end = 0;
    for (let i = 0; i < ordinals.length; ) {
      const from = ordinals[i]!;
      let to = from + 1;
      for (i++; i < ordinals.length && ordinals[i] === to; i++) to++;
      runs.number(from - end);
      runs.number(to - from);
      end = to;
      if (runs.length >= deltas.length) return deltas;
    }
    return runs;
  }
}

/** Adds what `RowsEncoder` wrote to a set. */
export function decodeRows(bytes: Uint8Array, into: RowSet): void {
  eachRun(bytes, into.rows, (from, to) => {
    if (to - from === 1) into.add(from);
    else into.addRange(from, to);
  });
}

/** Those of the rows that `RowsEncoder` wrote that are in a set. */
export function eachRowIn(bytes: Uint8Array, set: RowSet, visit: (row: number) => void): void {
  eachRun(bytes, set.rows, (from, to) => {
    for (let row = from; row < to; row++) if (set.has(row)) visit(row);
  });
}

/** How many of the rows that `RowsEncoder` wrote are in a set. */
export function countRowsIn(bytes: Uint8Array, set: RowSet): number {
  let count = 0;
  eachRowIn(bytes, set, () => count++);
  return count;
}

function eachRun(bytes: Uint8Array, rows: number, visit: (from: number, to: number) => void): void {
  const reader = new VarintReader(bytes);
  switch (reader.number()) {
    case DELTAS:
      for (let last = -1; !reader.done; ) {
        last += reader.number() + 1;
        if (last < rows) visit(last, last + 1);
      }
      return;
    case RUNS:
      for (let end = 0; !reader.done; ) {
        const from = end + reader.number();
        end = from + reader.number();
        visit(from, Math.min(end, rows));
      }
      return;
    case BITMAP: {
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      for (let i = 0; 1 + i * 4 + 4 <= bytes.length; i++)
        for (let word = view.getUint32(1 + i * 4, true); word !== 0; word &= word - 1) {
          const row = i * 32 + 31 - Math.clz32(word & -word);
          visit(row, row + 1);
        }
    }
  }
}
