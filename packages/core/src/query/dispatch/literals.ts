import { fold } from "../../base/text/index.js";
import type { Filter } from "../filter/index.js";

/** Texts one of which a record's message must hold, in any case, for a filter to hold; null: none can be named. */
export function literalsOf(filter: Filter): readonly string[] | null {
  switch (filter.type) {
    case "compare":
      return filter.field === "text" && !filter.negated && filter.test.op === "has" ? [fold(filter.test.value)] : null;
    case "and": {
      // any part will do: the one whose shortest text is longest is met least by chance
      const parts = filter.items.map(literalsOf).filter((l) => l !== null);
      return parts.sort((a, b) => shortest(b) - shortest(a))[0] ?? null;
    }
    case "or": {
      const parts = filter.items.map(literalsOf);
      return parts.every((l) => l !== null) ? parts.flat() : null;
    }
    default:
      return null;
  }
}

const shortest = (literals: readonly string[]): number => Math.min(...literals.map((l) => l.length));

const UNUSED = 0;

/**
 * Finds which of many texts occur in a message, in one pass over it, however many there are (Aho and Corasick 1975). Characters that
 * no text has, and those that share a code's low seven bits, are one to it: it may name a text that is not there, never miss one.
 */
export class LiteralScanner {
  private readonly classes = new Uint8Array(128);
  /** By state and class of character: the next state. */
  private readonly next: Int32Array;
  /** By state: the texts that end there. */
  private readonly found: readonly (readonly number[])[];
  private readonly width: number;

  constructor(literals: readonly string[]) {
    let classes = UNUSED;
    for (const literal of literals)
      for (const c of codes(literal)) if (this.classes[c] === UNUSED) this.classes[c] = ++classes;
    // upper case is read as lower case
    for (let c = 65; c <= 90; c++) this.classes[c] = this.classes[c + 32]!;
    this.width = classes + 1;
    const { next, found } = this.build(literals);
    this.next = next;
    this.found = found;
  }

  /** Calls back with the place of every text that may occur; one may be named more than once. */
  scan(text: string, visit: (literal: number) => void): void {
    const { classes, next, found, width } = this;
    let state = 0;
    for (let i = 0; i < text.length; i++) {
      state = next[state * width + classes[text.charCodeAt(i) & 127]!]!;
      const here = found[state]!;
      for (let f = 0; f < here.length; f++) visit(here[f]!);
    }
  }

  private build(literals: readonly string[]): { next: Int32Array; found: number[][] } {
    const { width } = this;
    const total = literals.reduce((sum, l) => sum + l.length, 1);
    const next = new Int32Array(total * width).fill(-1);
    const found: number[][] = [[]];
    for (const [place, literal] of literals.entries()) {
      let state = 0;
      for (const c of codes(literal)) {
        const at = state * width + this.classes[c]!;
        if (next[at] === -1) {
          next[at] = found.length;
          found.push([]);
        }
        state = next[at]!;
      }
      found[state]!.push(place);
    }
    // breadth first: where a way breaks off, the longest end of it that begins another goes on
    const back = new Int32Array(found.length);
    const queue: number[] = [0];
    for (let head = 0; head < queue.length; head++) {
      const state = queue[head]!;
      for (let c = 0; c < width; c++) {
        const at = state * width + c;
        const after = state === 0 ? 0 : next[back[state]! * width + c]!;
        if (next[at] === -1) next[at] = after;
        else {
          const child = next[at]!;
          back[child] = after;
          found[child]!.push(...found[after]!);
          queue.push(child);
        }
      }
    }
    return { next, found };
  }
}

function codes(literal: string): number[] {
  return Array.from({ length: literal.length }, (_, i) => literal.charCodeAt(i) & 127);
}
