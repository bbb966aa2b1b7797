import type { ContrastField } from "@halvik/contract/contrast";
import { type EpochUs, US_PER_SECOND } from "@halvik/core/base/time";
import { type ComparedPer, type Counted, contrast } from "@halvik/core/contrast";
import type { Filter } from "@halvik/core/query/filter";
import type { Window } from "../../kernel/http/window.js";
import { type CountedBy, PAIR_SEPARATOR } from "../../store/count-values.js";
import type { Ask } from "../records/questions.js";

/** All fields of one side together. */
const BUDGET_MS = 6_000;

/** Records of a filter in some windows. */
export interface SideAsked {
  readonly filter: Filter;
  readonly windows: readonly Window[];
}

interface SideCounted {
  readonly records: number;
  readonly seconds: number;
  /** By field, how many records have which value. */
  readonly counts: ReadonlyMap<ContrastField, ReadonlyMap<string, number>>;
  readonly complete: boolean;
}

/** What is different on one side as against the other, the most surprising first. */
export async function compareSides(
  ask: Ask,
  a: SideAsked,
  b: SideAsked,
  by: readonly ContrastField[],
  per: ComparedPer,
  nowUs: EpochUs,
) {
  const [ofA, ofB] = await Promise.all([countSide(ask, a, by, nowUs), countSide(ask, b, by, nowUs)]);
  const counted = by.flatMap((field): Counted[] => {
    const [here, there] = [ofA.counts.get(field)!, ofB.counts.get(field)!];
    return [...new Set([...here.keys(), ...there.keys()])].map((value) => ({
      by: field,
      value,
      a: here.get(value) ?? 0,
      b: there.get(value) ?? 0,
    }));
  });
  // half of a side against all of the other would tell what is not so
  const isCounted = ofA.complete && ofB.complete;
  const side = ({ records, seconds }: SideCounted) => ({ records, length: seconds });
  return {
    ...contrast(isCounted ? counted : [], side(ofA), side(ofB), per),
    a: { records: ofA.records, seconds: ofA.seconds },
    b: { records: ofB.records, seconds: ofB.seconds },
    isCounted,
  };
}

const countedBy = (field: ContrastField): CountedBy => (field === "pair" ? ["src", "dst"] : [field]);

async function countSide(
  ask: Ask,
  { filter, windows }: SideAsked,
  by: readonly ContrastField[],
  nowUs: EpochUs,
): Promise<SideCounted> {
  const started = performance.now();
  const counts = new Map(by.map((field) => [field, new Map<string, number>()]));
  let records = 0;
  let complete = true;
  for (const window of windows) {
    const budgetMs = Math.max(50, BUDGET_MS - (performance.now() - started));
    const counted = await ask(filter).counts({ filter, ...window, nowUs, budgetMs, by: by.map(countedBy) });
    complete &&= counted.complete;
    records += counted.records;
    for (const [i, field] of by.entries()) {
      const ofField = counts.get(field)!;
      for (const [value, n] of counted.counts[i]!) ofField.set(value, (ofField.get(value) ?? 0) + n);
    }
  }
  const seconds = windows.reduce((sum, w) => sum + (w.toUs - w.fromUs), 0) / US_PER_SECOND;
  return { records, seconds, counts, complete };
}

/** The two ends of a pair. */
export const endsOf = (value: string): readonly [src: string, dst: string] => {
  const [src = "", dst = ""] = value.split(PAIR_SEPARATOR);
  return [src, dst];
};
