import { decodeRows, RowSet } from "./row-set.js";
import { readTerms } from "./term-blocks.js";
import type { TermPlan } from "./term-plan.js";

/** A block of terms as it was stored. */
export interface StoredBlock {
  readonly terms: Uint8Array;
  readonly rows: Uint8Array;
}

/** Rows that match for certain, and rows that may: the truth lies between. */
export interface PartAnswer {
  readonly sure: RowSet;
  readonly perhaps: RowSet;
}

/** Blocks [from, to) that can hold terms with a prefix, or one term. `firstTerms`: of each block, ascending. */
function blocksOf(firstTerms: readonly string[], low: string, high: string): readonly [number, number] {
  const atMost = (wanted: string): number => {
    let from = 0;
    let to = firstTerms.length;
    while (from < to) {
      const middle = (from + to) >>> 1;
      if (firstTerms[middle]! <= wanted) from = middle + 1;
      else to = middle;
    }
    return from;
  };
  return [Math.max(0, atMost(low) - 1), atMost(high)];
}

/** Numbers of the blocks that can hold terms with a prefix: [from, to). */
export const blocksWithPrefix = (firstTerms: readonly string[], prefix: string): readonly [number, number] =>
  blocksOf(firstTerms, prefix, `${prefix}\uffff`);

const rangeOf = (plan: Extract<TermPlan, { is: "term" | "terms" }>): readonly [string, string] =>
  plan.is === "term" ? [plan.term, plan.term] : [plan.prefix, `${plan.prefix}\uffff`];

/**
 * The blocks a plan has to see. Where one of its parts would take more than `most`, it is left out: that part is then
 * answered by "perhaps, all".
 */
export function blocksFor(plan: TermPlan, firstTerms: readonly string[], most: number): Set<number> {
  const needed = new Set<number>();
  const walk = (node: TermPlan): void => {
    switch (node.is) {
      case "and":
      case "or":
        node.items.forEach(walk);
        return;
      case "not":
        walk(node.item);
        return;
      case "term":
      case "terms": {
        const [from, to] = blocksOf(firstTerms, ...rangeOf(node));
        if (to - from <= most) for (let n = from; n < to; n++) needed.add(n);
      }
    }
  };
  walk(plan);
  return needed;
}

/** Answers a plan for one part of `rows` rows from its blocks by number. */
export const searchPart = (
  plan: TermPlan,
  part: { readonly rows: number; readonly firstTerms: readonly string[] },
  blocks: ReadonlyMap<number, StoredBlock>,
): PartAnswer => search(plan, part, blocks, new Map());

/** @param known answers to pieces that a plan asks for more than once: going through a vocabulary is the costly thing */
function search(
  plan: TermPlan,
  part: { readonly rows: number; readonly firstTerms: readonly string[] },
  blocks: ReadonlyMap<number, StoredBlock>,
  known: Map<TermPlan, PartAnswer>,
): PartAnswer {
  const { rows } = part;
  switch (plan.is) {
    case "all":
      return { sure: RowSet.all(rows), perhaps: RowSet.all(rows) };
    case "unknown":
      return { sure: new RowSet(rows), perhaps: RowSet.all(rows) };
    case "and": {
      const answer = { sure: RowSet.all(rows), perhaps: RowSet.all(rows) };
      for (const item of plan.items) {
        const { sure, perhaps } = search(item, part, blocks, known);
        answer.sure.and(sure);
        answer.perhaps.and(perhaps);
        // nothing is left that the others could take away
        if (answer.perhaps.isEmpty()) break;
      }
      return answer;
    }
    case "or": {
      const answer = { sure: new RowSet(rows), perhaps: new RowSet(rows) };
      for (const item of plan.items) {
        const { sure, perhaps } = search(item, part, blocks, known);
        answer.sure.or(sure);
        answer.perhaps.or(perhaps);
      }
      return answer;
    }
    case "not": {
      const { sure, perhaps } = search(plan.item, part, blocks, known);
      return { sure: perhaps.not(), perhaps: sure.not() };
    }
    case "term":
      return searchTerms(plan, part, blocks);
    case "terms": {
      const answer = known.get(plan) ?? searchTerms(plan, part, blocks);
      known.set(plan, answer);
      // sets are changed where they are used
      return { sure: answer.sure.clone(), perhaps: answer.perhaps.clone() };
    }
  }
}

function searchTerms(
  plan: Extract<TermPlan, { is: "term" | "terms" }>,
  { rows, firstTerms }: { readonly rows: number; readonly firstTerms: readonly string[] },
  blocks: ReadonlyMap<number, StoredBlock>,
): PartAnswer {
  const [low, high] = rangeOf(plan);
  const [from, to] = blocksOf(firstTerms, low, high);
  const sure = new RowSet(rows);
  const perhaps = new RowSet(rows);
  for (let n = from; n < to; n++) {
    const block = blocks.get(n);
    if (block === undefined) return { sure: new RowSet(rows), perhaps: RowSet.all(rows) };
    readTerms(block.terms, (term, rowsFrom, rowsTo) => {
      if (term < low) return true;
      if (term > high) return false;
      const verdict = plan.is === "term" ? plan.verdict : plan.accepts(term);
      if (verdict !== "no") decodeRows(block.rows.subarray(rowsFrom, rowsTo), verdict === "yes" ? sure : perhaps);
      return true;
    });
  }
  return { sure, perhaps: perhaps.or(sure) };
}
