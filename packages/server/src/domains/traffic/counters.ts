import type { TrafficAnswer } from "@halvik/contract/traffic";
import { formatUs, US_PER_SECOND } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";

type Counters = NonNullable<TrafficAnswer["counters"]>;

interface Row {
  first: number | null;
  last: number | null;
  restarts: number;
  in_octets: number;
  in_packets: number;
  in_errors: number;
  in_discards: number;
  out_octets: number;
  out_packets: number;
  out_errors: number;
  out_discards: number;
}

const COUNTED = ["octets", "packets", "errors", "discards"] as const;
const columns = (["in", "out"] as const).flatMap((side) => COUNTED.map((what) => `${side}_${what}`));

/**
 * What an interface's own counters (sFlow) say of a window: the differences of each to the one before. A counter that goes back began anew, and
 * what it missed is not known.
 */
async function readCounters(
  db: Queryable,
  of: { readonly sender: number; readonly interface: number },
  fromUs: number,
  toUs: number,
): Promise<Row> {
  const before = columns.map((c) => `${c} - lag(${c}) over w as ${c}`).join(", ");
  const sums = columns.map((c) => `coalesce(sum(${c}) filter (where ${c} >= 0), 0)::float8 as ${c}`).join(", ");
  const { rows } = await db.query<Row>(
    `select min(time) as first, max(time) as last, count(*) filter (where in_octets < 0 or out_octets < 0)::int as restarts, ${sums}
     from (select time, ${before} from interface_measure where sender = $1 and interface = $2 and time >= $3 and time < $4 window w as (order by time)) m`,
    [of.sender, of.interface, fromUs, toUs],
  );
  return rows[0]!;
}

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
