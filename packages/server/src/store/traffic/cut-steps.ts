import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { BOUNDED, CUT, DIMENSIONS, LEVELS, type Level } from "@halvik/core/traffic";
import { type Client, transaction } from "../../kernel/db/pool.js";
import { levelNumber, tableOf } from "./write-sums.js";

/** How sums of a level are kept. */
interface Keeping {
  /** So long after its end a step is still added to. */
  readonly graceUs: number;
  /** Values of a bounded dimension a step keeps at most, each of at least this part of them all. */
  readonly most: number;
  readonly part: number;
}

const KEEPING: Readonly<Record<Level["name"], Keeping>> = {
  minute: { graceUs: 20 * US_PER_MINUTE, most: 30, part: 0.005 },
  five: { graceUs: 40 * US_PER_MINUTE, most: 50, part: 0.005 },
  hour: { graceUs: 3 * US_PER_HOUR, most: 100, part: 0.002 },
};
const STEPS_AT_ONCE = 200;
const BOUNDED_NUMBERS = DIMENSIONS.flatMap((d, i) => (BOUNDED.has(d) ? [i] : []));

/** Days each level of sums is kept. */
export type KeepTraffic = Readonly<Record<Level["name"], number>>;

/**
 * Cuts what is bounded in steps that are over to the greatest values, and drops steps that are older than is kept.
 * @returns whether there was more than one call cuts
 */
export async function cutSteps(client: Client, keep: KeepTraffic, nowUs: number): Promise<boolean> {
  let more = false;
  for (const level of LEVELS) {
    const { graceUs, most, part } = KEEPING[level.name];
    const oldest = Math.floor((nowUs - keep[level.name] * US_PER_DAY) / level.widthUs);
    await client.query(`delete from ${tableOf(level)} where step < $1`, [oldest]);
    const { rows } = await client.query<{ step: number }>(
      "select step from traffic_step where level = $1 and step < $2 order by step limit $3",
      [levelNumber(level), Math.floor((nowUs - graceUs) / level.widthUs) - 1, STEPS_AT_ONCE],
    );
    const steps = rows.map((r) => r.step);
    if (steps.length === 0) continue;
    more ||= steps.length === STEPS_AT_ONCE;
    await transaction(client, async () => {
      await client.query(
        `with ranked as (
           select sender, interface, way, dimension, step, value, bytes,
             row_number() over w as place, sum(bytes) over (partition by sender, interface, way, dimension, step) as whole
           from ${tableOf(level)} where step = any($1::int[]) and dimension = any($2::smallint[]) and value <> $3
           window w as (partition by sender, interface, way, dimension, step order by bytes desc, value)),
         gone as (
           delete from ${tableOf(level)} t using ranked r
           where (r.place > $4 or r.bytes < $5 * r.whole)
             and t.sender = r.sender and t.interface = r.interface and t.way = r.way and t.dimension = r.dimension and t.step = r.step and t.value = r.value
           returning t.*)
         insert into ${tableOf(level)} as t (sender, interface, way, dimension, step, value, bytes, packets, flows, estimated, rate)
         select sender, interface, way, dimension, step, $3, max(bytes), max(packets), count(*), 0, 1 from gone group by 1, 2, 3, 4, 5
         on conflict (sender, interface, way, dimension, step, value) do update
           set bytes = t.bytes + excluded.bytes, packets = t.packets + excluded.packets, flows = t.flows + excluded.flows`,
        [steps, BOUNDED_NUMBERS, CUT, most, part],
      );
      await client.query("delete from traffic_step where level = $1 and step = any($2::int[])", [
        levelNumber(level),
        steps,
      ]);
    });
  }
  return more;
}
