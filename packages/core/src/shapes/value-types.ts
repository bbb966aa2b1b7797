import { canonicalAddress } from "../base/net/index.js";
import { median } from "../base/statistics/index.js";
import { leadingNumber } from "../base/text/index.js";

export type ShapeValueType = "number" | "address" | "time" | "word" | "text";

/** What the values in one place of a shape are, by how all that were seen are written; the narrowest that fits them. */
export interface ShapeValue {
  readonly number: number;
  readonly type: ShapeValueType;
  readonly distinct: number;
  /** Of numbers, whatever unit follows them. */
  readonly range: { readonly least: number; readonly median: number; readonly most: number } | null;
  /** The most frequent first. */
  readonly top: readonly { readonly value: string; readonly count: number }[];
}

const isAddress = (text: string): boolean =>
  canonicalAddress(text.replace(/^\[|\]$/g, "").replace(/[/#]\d{1,5}$/, "")) !== null;
/** A clock time, a date, or both. */
const isTime = (text: string): boolean =>
  /^(?:\d{4}-\d{2}-\d{2}|\d{1,2}:\d{2}(?::\d{2})?)/.test(text) && text.length <= 40;
const isNumber = (text: string): boolean =>
  leadingNumber(text) !== null && /^[-+]?[\d.,]+\s?[A-Za-z%°µ/]{0,6}$/.test(text);
const isWord = (text: string): boolean => text !== "" && !/\s/.test(text);

const TYPES: readonly (readonly [ShapeValueType, (text: string) => boolean])[] = [
  ["address", isAddress],
  ["time", isTime],
  ["number", isNumber],
  ["word", isWord],
];

/**
 * The values of some records of one shape, place by place.
 * @param values of each record, by number
 * @param most of each place's values that are told
 */
export function shapeValues(values: Iterable<ReadonlyMap<number, string>>, most: number): ShapeValue[] {
  const counted = new Map<number, Map<string, number>>();
  for (const ofRecord of values)
    for (const [number, value] of ofRecord) {
      const there = counted.get(number) ?? new Map<string, number>();
      counted.set(number, there.set(value, (there.get(value) ?? 0) + 1));
    }
  return [...counted]
    .sort(([a], [b]) => a - b)
    .map(([number, counts]) => {
      const all = [...counts.keys()];
      const type = TYPES.find(([, fits]) => all.every(fits))?.[0] ?? "text";
      const numbers =
        type === "number" ? [...counts].flatMap(([v, n]) => new Array<number>(n).fill(leadingNumber(v)!)) : [];
      return {
        number,
        type,
        distinct: counts.size,
        range:
          numbers.length === 0
            ? null
            : {
                least: numbers.reduce((a, b) => Math.min(a, b)),
                median: median(numbers),
                most: numbers.reduce((a, b) => Math.max(a, b)),
              },
        top: [...counts]
          .map(([value, count]) => ({ value, count }))
          .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))
          .slice(0, most),
      };
    });
}
