import { wholeUpTo } from "../../base/text/index.js";
import { RowsEncoder } from "./row-set.js";
import { VarintReader, VarintWriter } from "./varint.js";

/** Some of a part's terms in order, each with the rows that hold it. */
export interface TermBlock {
  readonly firstTerm: string;
  /** Terms, each as what it shares with the one before, the rest, and the length of its rows. */
  readonly terms: Uint8Array;
  readonly rows: Uint8Array;
}

const BLOCK_TERMS = 512;
const BLOCK_ROW_BYTES = 32 * 1024;

const encoder = new TextEncoder();
const decoder = new TextDecoder();

/** Cuts terms into blocks in the order of their UTF-16 units, which is JavaScript's own. */
export function encodeTermBlocks(terms: ReadonlyMap<string, readonly number[]>, rows: number): TermBlock[] {
  const blocks: TermBlock[] = [];
  const words = new VarintWriter();
  const postings = new VarintWriter();
  const rowsEncoder = new RowsEncoder(rows);
  let first = "";
  let previous = "";
  let count = 0;
  const cut = () => {
    if (count > 0) blocks.push({ firstTerm: first, terms: words.finish(), rows: postings.finish() });
    words.restart();
    postings.restart();
    count = 0;
  };
  for (const term of [...terms.keys()].sort()) {
    if (count === BLOCK_TERMS || postings.length > BLOCK_ROW_BYTES) cut();
    if (count === 0) {
      first = term;
      previous = "";
    }
    const shared = sharedLength(previous, term);
    const rest = encoder.encode(term.slice(shared));
    words.number(shared);
    words.number(rest.length);
    words.octets(rest);
    words.number(rowsEncoder.encode(terms.get(term)!, postings));
    previous = term;
    count++;
  }
  cut();
  return blocks;
}

function sharedLength(a: string, b: string): number {
  const most = Math.min(a.length, b.length);
  let n = 0;
  while (n < most && a.charCodeAt(n) === b.charCodeAt(n)) n++;
  // half a surrogate pair cannot be encoded
  return wholeUpTo(b, n);
}

/** The terms of a block in order, with where their rows lie in `rows`. Stops when `visit` says so by returning false. */
export function readTerms(
  block: Uint8Array,
  visit: (term: string, rowsFrom: number, rowsTo: number) => boolean | undefined,
): void {
  const reader = new VarintReader(block);
  let term = "";
  let at = 0;
  while (!reader.done) {
    const shared = reader.number();
    const rest = decoder.decode(reader.octets(reader.number()));
    term = term.slice(0, shared) + rest;
    const length = reader.number();
    if (visit(term, at, at + length) === false) return;
    at += length;
  }
}
