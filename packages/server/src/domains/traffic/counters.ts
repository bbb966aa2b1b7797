import type { TrafficAnswer } from "@halvik/contract/traffic";
import { formatUs, US_PER_SECOND } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";
import { readCounters } from "./interfaces-repository.js";

type Counters = NonNullable<TrafficAnswer["counters"]>;

/**
 * The counters of an interface beside what flows tell of it.
 * @param answer what the flows tell, in steps
 * @param isNarrowed by a filter: then flows are not to explain the counters
 * @returns null: it has no two counters in the window
 */
export async function countersBeside(
  db: Queryable,
  of: { readonly sender: number; readonly interface: number },
  { asked, steps, step }: Pick<TrafficAnswer, "asked" | "steps" | "step">,
  measure: "bytes" | "packets" | "flows",
  isNarrowed: boolean,
): Promise<Counters | null> {
  const us = (text: string) => Date.parse(text) * 1_000;
  const row = await readCounters(db, of, us(asked.from), us(asked.to));
  if (row.first === null || row.last === null || row.last <= row.first) return null;
  const { first, last } = row;
  const width = step * US_PER_SECOND;
  /** Of what flows tell, what lies between the first and the last counter: of a step at the end its part. */
  const told = (side: number): number =>
    steps.reduce((sum, s) => {
      const from = us(s.from);
      const part = Math.max(0, Math.min(last, from + width) - Math.max(first, from)) / width;
      return sum + part * (s.whole[side] ?? 0);
    }, 0);
  const side = (name: "in" | "out", at: number): Counters["sides"][number] => {
    const [bytes, packets] = [row[`${name}_octets`], row[`${name}_packets`]];
    const counted = measure === "bytes" ? bytes : measure === "packets" ? packets : 0;
    return {
      bytes,
      packets,
      errors: row[`${name}_errors`],
      discards: row[`${name}_discards`],
      explained: isNarrowed || counted === 0 ? null : told(at) / counted,
    };
  };
  return {
    from: formatUs(first),
    to: formatUs(last),
    restarts: row.restarts,
    sides: [side("in", 0), side("out", 1)],
  };
}
