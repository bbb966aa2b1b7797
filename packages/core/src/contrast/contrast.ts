import { chanceOf, corrected, surpriseOfRates, surpriseOfShares } from "./surprise.js";

/** How a value is in one set of records as against the other. */
export const CHANGES = ["appeared", "disappeared", "rose", "fell"] as const;
export type Change = (typeof CHANGES)[number];

/** By what counts are compared: how often in the time there was, or as a part of all records. */
export const COMPARED_PER = ["time", "records"] as const;
export type ComparedPer = (typeof COMPARED_PER)[number];

/** One of two sets of records: how many there are in all, and over how long. */
export interface Side {
  readonly records: number;
  /** In any unit, the same of both. */
  readonly length: number;
}

export interface Counted {
  readonly by: string;
  readonly value: string;
  readonly a: number;
  readonly b: number;
}

export interface Difference extends Counted {
  readonly change: Change;
  /** G²: how little chance explains it. */
  readonly surprise: number;
  /** The share of false ones among all that surprise at least as much. */
  readonly falseShare: number;
  /** How many times as often as in the other; null: there are none there, or none here. */
  readonly ratio: number | null;
}

/** Of a hundred differences that are told, about one is chance. */
export const FALSE_SHARE = 0.01;

/**
 * What is different in `a` as against `b`, the most surprising first. Values of all fields are corrected together for how many there are.
 * @returns those that chance does not explain; how many were compared
 */
export function contrast(
  counted: readonly Counted[],
  a: Side,
  b: Side,
  per: ComparedPer,
): { readonly differences: readonly Difference[]; readonly compared: number } {
  const surprises = counted.map((c) =>
    per === "time" ? surpriseOfRates(c.a, a.length, c.b, b.length) : surpriseOfShares(c.a, a.records, c.b, b.records),
  );
  const falseShares = corrected(surprises.map(chanceOf));
  const [ofA, ofB] = per === "time" ? [a.length, b.length] : [a.records, b.records];
  const differences = counted.flatMap((c, i): Difference[] => {
    const falseShare = falseShares[i]!;
    if (falseShare > FALSE_SHARE) return [];
    const ratio = c.a === 0 || c.b === 0 ? null : c.a / ofA / (c.b / ofB);
    const change = c.b === 0 ? "appeared" : c.a === 0 ? "disappeared" : ratio! > 1 ? "rose" : "fell";
    return [{ ...c, change, surprise: surprises[i]!, falseShare, ratio }];
  });
  differences.sort((x, y) => y.surprise - x.surprise || (x.by + x.value < y.by + y.value ? -1 : 1));
  return { differences, compared: counted.length };
}
