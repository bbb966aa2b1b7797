import {
  type Amounts,
  BOUNDED,
  boundValues,
  DIMENSIONS,
  type Dimension,
  LEVELS,
  type Level,
  mergeValues,
  type TrafficRow,
} from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";

export const levelNumber = (level: Level): number => LEVELS.indexOf(level);

const IS_BOUNDED = DIMENSIONS.map((d) => BOUNDED.has(d));
export const isBounded = (dimension: number): boolean => IS_BOUNDED[dimension] ?? false;

/** Dimensions that are kept of every step, however few its flows. */
const ALWAYS: readonly Dimension[] = ["total", "application", "dscp", "ip version", "protocol"];
export const isAlwaysKept = (dimension: Dimension): boolean => ALWAYS.includes(dimension);

/** A row as the database has it. */
export interface StoredRow {
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

export const KEY = ["sender", "interface", "way", "dimension", "step"] as const;
const keyOf = (r: Pick<StoredRow, (typeof KEY)[number]>): string => KEY.map((k) => r[k]).join(" ");
/** Lists as JSON, which is read three times as fast as the driver reads arrays; their numbers are exact (`MOST`). */
export const COLUMNS = `sender, interface, way, dimension, step, ${["vals", "bytes", "packets", "flows"].map((list) => `to_json(${list}) as ${list}`).join(", ")}, estimated::float8 as estimated, rate`;
/** Rows a statement takes at most. */
export const ROWS_AT_ONCE = 5_000;
/** The most that is kept of a sum: a number of JavaScript that is exact. */
const MOST = Number.MAX_SAFE_INTEGER;

/** How rows are added to. */
interface Merging {
  /** Values that a row of a bounded dimension keeps. */
  readonly most: number;
  /** Whether their steps have to be closed. */
  readonly isOpen: boolean;
  /** Rows that are added to where they stand, and are not begun. */
  readonly isLeftOut?: (row: TrafficRow) => boolean;
  /** Called between parts of it. */
  readonly breathe?: Breathe;
}
/** Lets others have a turn, and says that it goes on. Within a transaction: nothing is done by its connection. */
export type Breathe = () => Promise<unknown>;

/** Adds what was summed to what stands, row by row. */
export async function mergeRows(
  db: Queryable,
  level: Level,
  rows: readonly TrafficRow[],
  { most, isOpen, isLeftOut = () => false, breathe }: Merging,
): Promise<void> {
  for (let i = 0; i < rows.length; i += ROWS_AT_ONCE) {
    const all = rows.slice(i, i + ROWS_AT_ONCE);
    const before = new Map((await standing(db, level, all)).map((r) => [keyOf(r), r]));
    // a list that stands takes everything: it would say less than its total
    const part = all.filter((row) => !isLeftOut(row) || before.has(keyOf(row)));
    await put(
      db,
      level,
      part.map((row) => {
        const known = before.get(keyOf(row));
        const values = known === undefined ? new Map<string, Amounts>() : valuesOf(known);
        mergeValues(values, row.values);
        if (isBounded(row.dimension) && values.size > most) boundValues(values, most, 0);
        return {
          ...row,
          values,
          estimated: Math.max(0, (known?.estimated ?? 0) + row.estimated),
          rate: Math.max(known?.rate ?? 1, row.rate),
        };
      }),
      isOpen,
    );
    await breathe?.();
  }
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

export const valuesOf = (r: StoredRow): Map<string, Amounts> =>
  new Map(r.vals.map((value, i) => [value, { bytes: r.bytes[i]!, packets: r.packets[i]!, flows: r.flows[i]! }]));

export async function put(db: Queryable, level: Level, rows: readonly TrafficRow[], open: boolean): Promise<void> {
  const kept = rows.filter((r) => r.values.size > 0);
  const gone = rows.filter((r) => r.values.size === 0);
  if (kept.length > 0)
    await db.query(
      `insert into traffic_sum (level, ${KEY.join(", ")}, vals, bytes, packets, flows, estimated, rate, open)
       select $1, ${KEY.join(", ")}, vals, bytes, packets, flows, estimated, rate, $2 from json_to_recordset($3::json) as r
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
