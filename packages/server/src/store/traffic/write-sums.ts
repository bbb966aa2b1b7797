import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { boundValues, CUT, DIMENSIONS, LEVELS, type Level, type TrafficRow } from "@halvik/core/traffic";
import { type Client, type Queryable, transaction } from "../../kernel/db/pool.js";
import { addDerived, derivedBefore } from "./derive-sums.js";
import {
  type Breathe,
  COLUMNS,
  isAlwaysKept,
  isBounded,
  KEY,
  levelNumber,
  mergeRows,
  put,
  ROWS_AT_ONCE,
  type StoredRow,
  valuesOf,
} from "./sum-rows.js";

/** How sums of a level are kept. */
interface Keeping {
  /** So long after its end a step is still added to as a matter of course. */
  readonly graceUs: number;
  /** Values of a bounded dimension a step keeps at most when it is over, each of at least this part of them all. */
  readonly most: number;
  readonly part: number;
  /** Lists are kept only of what has so many flows in a step: of fewer, the flows themselves are as quickly read. */
  readonly leastFlows: number;
}

const KEEPING: Readonly<Record<Level["name"], Keeping>> = {
  minute: { graceUs: 10 * US_PER_MINUTE, most: 20, part: 0.01, leastFlows: 0 },
  five: { graceUs: 20 * US_PER_MINUTE, most: 50, part: 0.01, leastFlows: 300 },
  hour: { graceUs: 2 * US_PER_HOUR, most: 50, part: 0.01, leastFlows: 0 },
  // made of what is bounded already
  day: { graceUs: 2 * US_PER_HOUR, most: Number.POSITIVE_INFINITY, part: 0, leastFlows: 0 },
};
const IS_ALWAYS = DIMENSIONS.map(isAlwaysKept);

/** While it is added to, a row keeps so many values. */
const MOST_OPEN = 300;

/** Days each level of sums is kept; those by the day as long as those by the hour. */
export type KeepTraffic = Readonly<Record<Exclude<Level["name"], "day">, number>>;

/** The first step of a level that is kept. */
export const oldestStep = (level: Level, keep: KeepTraffic, nowUs: number): number =>
  Math.floor((nowUs - keep[level.name === "day" ? "hour" : level.name] * US_PER_DAY) / level.widthUs);

/** The first step of a level that is still added to as a matter of course. */
export const firstOpen = (level: Level, nowUs: number): number =>
  Math.floor((nowUs - KEEPING[level.name].graceUs) / level.widthUs) - 1;

/** Adds what was summed to what stands, row by row, in a transaction. */
export async function addRows(
  db: Queryable,
  level: Level,
  rows: readonly TrafficRow[],
  nowUs: number,
  breathe: Breathe = async () => undefined,
): Promise<void> {
  const before = await derivedBefore(db, level.name === "hour" ? LEVELS.slice(LEVELS.indexOf(level)) : [level]);
  const isLeftOut = smallLists(level, rows, firstOpen(level, nowUs));
  await mergeRows(db, level, rows, { most: MOST_OPEN, isOpen: true, isLeftOut, breathe });
  await addDerived(db, level, rows, before);
  if (level.name === "five") await noteSources(db, level, rows);
}

/** Takes out again what flows had added that are removed. */
export const takeOutRows = (db: Queryable, level: Level, rows: readonly TrafficRow[], nowUs: number): Promise<void> =>
  addRows(
    db,
    level,
    rows.map((row) => ({
      ...row,
      estimated: -row.estimated,
      values: new Map(
        [...row.values].flatMap(([value, a]) =>
          value === CUT ? [] : [[value, { bytes: -a.bytes, packets: -a.packets, flows: -a.flows }] as const],
        ),
      ),
    })),
    nowUs,
  );

/** Whether a row is a list of what has few flows, in a step that is over: history that is summed late need not write what would go at once. */
function smallLists(level: Level, rows: readonly TrafficRow[], firstOpen: number): (row: TrafficRow) => boolean {
  const { leastFlows } = KEEPING[level.name];
  if (leastFlows === 0) return () => false;
  const groupOf = (r: TrafficRow) => `${r.step} ${r.sender} ${r.interface} ${r.way}`;
  const flows = new Map(
    rows.flatMap((r) => (r.dimension === 0 ? [[groupOf(r), Math.abs(r.values.get("")?.flows ?? 0)]] : [])),
  );
  return (r) => r.step < firstOpen && !IS_ALWAYS[r.dimension] && (flows.get(groupOf(r)) ?? 0) < leastFlows;
}

/** Which interfaces tell of traffic, by which way, from when to when. */
async function noteSources(db: Queryable, level: Level, rows: readonly TrafficRow[]): Promise<void> {
  const sources = new Map<string, { sender: number; interface: number; way: number; first: number; last: number }>();
  for (const { sender, interface: iface, way, step } of rows) {
    const key = `${sender} ${iface} ${way}`;
    const known = sources.get(key) ?? { sender, interface: iface, way, first: step, last: step };
    known.first = Math.min(known.first, step);
    known.last = Math.max(known.last, step);
    sources.set(key, known);
  }
  const all = [...sources.values()];
  await db.query(
    `insert into traffic_source as t (sender, interface, way, first_us, last_us)
     select * from unnest($1::int[], $2::bigint[], $3::smallint[], $4::bigint[], $5::bigint[])
     on conflict (sender, interface, way) do update set first_us = least(t.first_us, excluded.first_us), last_us = greatest(t.last_us, excluded.last_us)`,
    [
      all.map((s) => s.sender),
      all.map((s) => s.interface),
      all.map((s) => s.way),
      all.map((s) => s.first * level.widthUs),
      all.map((s) => (s.last + 1) * level.widthUs),
    ],
  );
}

/**
 * Cuts what is bounded in steps that are over to the greatest values, and drops steps that are older than is kept.
 * @returns whether there was more than one call does
 */
export async function closeSteps(client: Client, keep: KeepTraffic, nowUs: number): Promise<boolean> {
  let more = false;
  for (const level of LEVELS) {
    const { most, part, leastFlows } = KEEPING[level.name];
    const before = firstOpen(level, nowUs);
    const number = levelNumber(level);
    await client.query("delete from traffic_sum where level = $1 and step < $2", [
      number,
      oldestStep(level, keep, nowUs),
    ]);
    await transaction(client, async () => {
      if (leastFlows > 0)
        await client.query(
          `delete from traffic_sum t using traffic_sum w where t.level = $1 and t.open and t.step < $2 and not (t.dimension = any($3::smallint[]))
             and (w.level, w.sender, w.interface, w.way, w.dimension, w.step) = (t.level, t.sender, t.interface, t.way, 0, t.step) and w.flows[1] < $4`,
          [number, before, DIMENSIONS.flatMap((_, i) => (IS_ALWAYS[i] ? [i] : [])), leastFlows],
        );
      const { rows } = await client.query<StoredRow>(
        `select ${COLUMNS} from traffic_sum where level = $1 and open and step < $2 order by step limit $3`,
        [number, before, ROWS_AT_ONCE],
      );
      more ||= rows.length === ROWS_AT_ONCE;
      const cut = rows.flatMap((r) => {
        if (!isBounded(r.dimension)) return [];
        const values = valuesOf(r);
        const size = values.size;
        boundValues(values, most, part);
        return values.size < size ? [{ ...r, values }] : [];
      });
      await put(client, level, cut, false);
      await client.query(
        `update traffic_sum t set open = false from unnest($2::int[], $3::bigint[], $4::smallint[], $5::smallint[], $6::int[]) as k (${KEY.join(", ")})
         where t.level = $1 and t.open and ${KEY.map((k) => `t.${k} = k.${k}`).join(" and ")}`,
        [number, ...KEY.map((k) => rows.map((r) => r[k]))],
      );
    });
  }
  await client.query(
    "delete from traffic_position p where not exists (select from segment s where s.name = p.segment)",
  );
  return more;
}
