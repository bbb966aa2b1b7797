import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import {
  type Amounts,
  BOUNDED,
  boundValues,
  CUT,
  DIMENSIONS,
  type Dimension,
  LEVELS,
  type Level,
  mergeValues,
  type TrafficRow,
} from "@halvik/core/traffic";
import { type Client, type Queryable, transaction } from "../../kernel/db/pool.js";

export const levelNumber = (level: Level): number => LEVELS.indexOf(level);

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
};
/** While it is added to, a step keeps so many. */
const MOST_OPEN = 300;
/** Dimensions that are kept of every step, however few its flows. */
const ALWAYS: readonly Dimension[] = ["total", "application", "dscp", "ip version", "protocol"];
const IS_BOUNDED = DIMENSIONS.map((d) => BOUNDED.has(d));
const IS_ALWAYS = DIMENSIONS.map((d) => ALWAYS.includes(d));
export const isAlwaysKept = (dimension: Dimension): boolean => ALWAYS.includes(dimension);

/** Days each level of sums is kept. */
export type KeepTraffic = Readonly<Record<Level["name"], number>>;

/** The first step of a level that is kept. */
export const oldestStep = (level: Level, keep: KeepTraffic, nowUs: number): number =>
  Math.floor((nowUs - keep[level.name] * US_PER_DAY) / level.widthUs);

/** A row as the database has it. */
interface StoredRow {
  sender: number;
  interface: number;
  way: number;
  dimension: number;
  step: number;
  vals: string[];
  bytes: number[];
  packets: number[];
  flows: number[];
  estimated: number;
  rate: number;
}

const KEY = ["sender", "interface", "way", "dimension", "step"] as const;
const keyOf = (r: Pick<StoredRow, (typeof KEY)[number]>): string => KEY.map((k) => r[k]).join(" ");
const COLUMNS =
  "sender, interface, way, dimension, step, vals, bytes::float8[] as bytes, packets::float8[] as packets, flows::float8[] as flows, estimated::float8 as estimated, rate";
/** Rows a statement takes at most. */
const ROWS = 5_000;
/** The most that is kept of a sum: a number of JavaScript that is exact. */
const MOST = Number.MAX_SAFE_INTEGER;

/** The first step of a level that is still added to as a matter of course. */
const firstOpen = (level: Level, nowUs: number): number =>
  Math.floor((nowUs - KEEPING[level.name].graceUs) / level.widthUs) - 1;

/** Adds what was summed to what stands, row by row. */
export async function addRows(db: Queryable, level: Level, rows: readonly TrafficRow[], nowUs: number): Promise<void> {
  const isSmall = smallLists(level, rows, firstOpen(level, nowUs));
  for (let i = 0; i < rows.length; i += ROWS) {
    const all = rows.slice(i, i + ROWS);
    const before = new Map((await standing(db, level, all)).map((r) => [keyOf(r), r]));
    // a list that stands takes everything: it would say less than its total
    const part = all.filter((row) => !isSmall(row) || before.has(keyOf(row)));
    await put(
      db,
      level,
      part.map((row) => {
        const known = before.get(keyOf(row));
        const values = known === undefined ? new Map<string, Amounts>() : valuesOf(known);
        mergeValues(values, row.values);
        if (IS_BOUNDED[row.dimension] && values.size > MOST_OPEN) boundValues(values, MOST_OPEN, 0);
        return {
          ...row,
          values,
          estimated: Math.max(0, (known?.estimated ?? 0) + row.estimated),
          rate: Math.max(known?.rate ?? 1, row.rate),
        };
      }),
      true,
    );
  }
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

async function standing(db: Queryable, level: Level, rows: readonly TrafficRow[]): Promise<StoredRow[]> {
  const { rows: known } = await db.query<StoredRow>(
    `select ${COLUMNS} from traffic_sum t
     join unnest($2::int[], $3::bigint[], $4::smallint[], $5::smallint[], $6::int[]) as k (${KEY.join(", ")}) using (${KEY.join(", ")})
     where t.level = $1`,
    [levelNumber(level), ...KEY.map((k) => rows.map((r) => r[k]))],
  );
  return known;
}

const valuesOf = (r: StoredRow): Map<string, Amounts> =>
  new Map(r.vals.map((value, i) => [value, { bytes: r.bytes[i]!, packets: r.packets[i]!, flows: r.flows[i]! }]));

async function put(db: Queryable, level: Level, rows: readonly TrafficRow[], open: boolean): Promise<void> {
  const kept = rows.filter((r) => r.values.size > 0);
  const gone = rows.filter((r) => r.values.size === 0);
  if (kept.length > 0)
    await db.query(
      `insert into traffic_sum (level, ${KEY.join(", ")}, vals, bytes, packets, flows, estimated, rate, open)
       select $1, ${KEY.join(", ")}, vals, bytes, packets, flows, estimated, rate, $2 from jsonb_to_recordset($3::jsonb) as r
         (sender int, interface bigint, way smallint, dimension smallint, step int, vals text[], bytes bigint[], packets bigint[], flows bigint[], estimated bigint, rate int)
       on conflict (level, ${KEY.join(", ")}) do update
         set vals = excluded.vals, bytes = excluded.bytes, packets = excluded.packets, flows = excluded.flows, estimated = excluded.estimated, rate = excluded.rate, open = excluded.open`,
      [
        levelNumber(level),
        open,
        JSON.stringify(
          kept.map(({ values, ...row }) => {
            const all = [...values].sort((a, b) => b[1].bytes - a[1].bytes);
            const of = (amount: keyof Amounts) => all.map(([, a]) => Math.min(MOST, Math.max(0, a[amount])));
            return {
              ...row,
              estimated: Math.min(MOST, row.estimated),
              vals: all.map(([value]) => value),
              bytes: of("bytes"),
              packets: of("packets"),
              flows: of("flows"),
            };
          }),
        ),
      ],
    );
  if (gone.length > 0)
    await db.query(
      `delete from traffic_sum t using unnest($2::int[], $3::bigint[], $4::smallint[], $5::smallint[], $6::int[]) as k (${KEY.join(", ")})
       where t.level = $1 and ${KEY.map((k) => `t.${k} = k.${k}`).join(" and ")}`,
      [levelNumber(level), ...KEY.map((k) => gone.map((r) => r[k]))],
    );
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
        [number, before, ROWS],
      );
      more ||= rows.length === ROWS;
      const cut = rows.flatMap((r) => {
        if (!IS_BOUNDED[r.dimension]) return [];
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
