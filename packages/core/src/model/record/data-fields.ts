import { canonicalAddress } from "../../base/net/index.js";
import { readRfc3339 } from "../../base/time/index.js";
import type { HalvikRecord } from "./record.js";
import { hashesIn } from "./sightings.js";

/** What the values of a name are, as far as they were looked at. */
export const DATA_TYPES = ["number", "address", "time", "hash", "text"] as const;
export type DataType = (typeof DATA_TYPES)[number];

/** A named value that records carry beyond the common fields. */
export interface DataField {
  readonly name: string;
  readonly type: DataType;
  /** Records that have it. */
  readonly records: number;
  /** One of its values, the first that was met. */
  readonly example: string;
}

/** Names that are told apart: a sender may make new ones all the time. */
const MOST_NAMES = 1_000;
const LONGEST_NAME = 256;
const LONGEST_LOOKED_AT = 200;

const TESTS: readonly (readonly [DataType, (name: string, value: string) => boolean])[] = [
  ["number", (_, value) => /^[+-]?\d{1,20}(?:\.\d{1,20})?$/.test(value)],
  ["address", (_, value) => canonicalAddress(value) !== null],
  ["time", (_, value) => readRfc3339(value)?.end === value.length],
  ["hash", (name, value) => hashesIn(name, value)[0] === value.toLowerCase()],
];

/** The names of `data` that records carry, those that most have first, each with what its values are: all of them, or they are texts. */
export function dataFieldsOf(records: readonly Pick<HalvikRecord, "data">[]): DataField[] {
  const found = new Map<string, { records: number; example: string; types: readonly (typeof TESTS)[number][] }>();
  for (const { data } of records) {
    const inThis = new Set<string>();
    for (const [name, value] of data) {
      if (name.length > LONGEST_NAME) continue;
      let of = found.get(name);
      if (of === undefined) {
        if (found.size >= MOST_NAMES) continue;
        of = { records: 0, example: value.slice(0, LONGEST_LOOKED_AT), types: TESTS };
        found.set(name, of);
      }
      if (!inThis.has(name)) of.records++;
      inThis.add(name);
      // what is empty says nothing of what it would be
      if (value !== "") of.types = of.types.filter(([, is]) => value.length <= LONGEST_LOOKED_AT && is(name, value));
      if (of.example === "") of.example = value.slice(0, LONGEST_LOOKED_AT);
    }
  }
  return [...found]
    .map(
      ([name, { records: n, example, types }]): DataField => ({
        name,
        type: example === "" ? "text" : (types[0]?.[0] ?? "text"),
        records: n,
        example,
      }),
    )
    .sort((a, b) => b.records - a.records || (a.name < b.name ? -1 : 1));
}
