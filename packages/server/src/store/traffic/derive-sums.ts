import { US_PER_HOUR } from "@halvik/core/base/time";
import { type Amounts, boundValues, DIMENSIONS, LEVELS, type Level, type TrafficRow, WAYS } from "@halvik/core/traffic";
import { type Client, type Queryable, transaction } from "../../kernel/db/pool.js";
import { COLUMNS, isAlwaysKept, isBounded, levelNumber, mergeRows, put, type StoredRow, valuesOf } from "./sum-rows.js";

/**
 * Sums that are made of other sums: over all exporters, of what each conversation counts once in, and by the day. They answer what would else go
 * through every exporter and every hour. Made of steps that are over; what comes late is added to them in the same transaction.
 */
const [, FIVE, HOUR, DAY] = LEVELS;
/** Stands for all exporters together. No sender has this number. */
export const ALL_EXPORTERS = 0;
const ONCE = WAYS.indexOf("once");
const HOURS_A_DAY = DAY.widthUs / US_PER_HOUR;
/** Values that are kept of a row of a bounded dimension. */
const MOST_VALUES = 500;
const DERIVED = { most: MOST_VALUES, isOpen: false };
/** Steps that are made at once. */
const STEPS_AT_ONCE = { five: 288, hour: 24 } as const;
/** By five minutes lists are kept only of what is busy: over all exporters only what is kept of each is added up. */
const ALWAYS_KEPT = DIMENSIONS.flatMap((d, i) => (isAlwaysKept(d) ? [i] : []));
const EVERY = DIMENSIONS.map((_, i) => i);
/** Whether there are sums over all exporters, by level and dimension. */
export const isWhole = (level: Level, dimension: number): boolean =>
  level === HOUR || level === DAY || (level === FIVE && ALWAYS_KEPT.includes(dimension));

/** Before which steps there are such sums, by level. */
export type Derived = ReadonlyMap<number, number>;

/** @param levels their rows are locked until the transaction ends: nobody else changes sums of them meanwhile; without any, none is */
export async function derivedBefore(db: Queryable, levels: readonly Level[] = []): Promise<Derived> {
  const { rows } = await db.query<{ level: number; before: number | null }>(
    levels.length === 0
      ? "select level, before from traffic_derived"
      : "select level, before from traffic_derived where level = any($1::smallint[]) order by level for update",
    levels.length === 0 ? [] : [levels.map(levelNumber)],
  );
  return new Map(rows.flatMap((r) => (r.before === null ? [] : [[r.level, r.before]])));
}

type Gathered = { -readonly [K in keyof TrafficRow]: TrafficRow[K] } & { readonly values: Map<string, Amounts> };

/** Adds up rows that are the same but for what is said anew of them; what is taken out of them is negative and stays so. */
function gather(
  rows: Iterable<TrafficRow>,
  of: (row: TrafficRow) => Pick<TrafficRow, "step" | "sender" | "interface">,
): Gathered[] {
  const all = new Map<string, Gathered>();
  for (const row of rows) {
    const to = of(row);
    const key = `${to.step} ${to.sender} ${to.interface} ${row.way} ${row.dimension}`;
    let sum = all.get(key);
    if (sum === undefined) {
      sum = { ...row, ...to, values: new Map(), estimated: 0, rate: 1 };
      all.set(key, sum);
    }
    sum.estimated += row.estimated;
    sum.rate = Math.max(sum.rate, row.rate);
    for (const [value, { bytes, packets, flows }] of row.values) {
      const known = sum.values.get(value);
      if (known === undefined) sum.values.set(value, { bytes, packets, flows });
      else {
        known.bytes += bytes;
        known.packets += packets;
        known.flows += flows;
      }
    }
  }
  return [...all.values()];
}

const overAll = (rows: readonly TrafficRow[]): Gathered[] =>
  gather(rows, ({ step, interface: iface }) => ({ step, sender: ALL_EXPORTERS, interface: iface }));
const byDay = (rows: readonly TrafficRow[]): Gathered[] =>
  gather(rows, ({ step, sender, interface: iface }) => ({
    step: Math.floor(step / HOURS_A_DAY),
    sender,
    interface: iface,
  }));

/** Adds what changed in steps whose sums are added up already. @param before as it was locked with the level */
export async function addDerived(
  db: Queryable,
  level: Level,
  rows: readonly TrafficRow[],
  before: Derived,
): Promise<void> {
  const madeBefore = before.get(levelNumber(level)) ?? Number.NEGATIVE_INFINITY;
  const whole = overAll(rows.filter((r) => r.way === ONCE && r.step < madeBefore && isWhole(level, r.dimension)));
  if (whole.length > 0) await mergeRows(db, level, whole, DERIVED);
  if (level !== HOUR) return;
  const daysBefore = (before.get(levelNumber(DAY)) ?? Number.NEGATIVE_INFINITY) * HOURS_A_DAY;
  const days = byDay([...rows, ...whole].filter((r) => r.step < daysBefore));
  if (days.length > 0) await mergeRows(db, DAY, days, DERIVED);
}

/**
 * Makes such sums of some steps that are over, the oldest first.
 * @param firstOpen the first step of a level that is still added to as a matter of course
 * @returns whether there is more than one call makes
 */
export async function deriveSums(client: Client, firstOpen: (level: Level) => number): Promise<boolean> {
  let more = false;
  for (const level of [FIVE, HOUR] as const)
    more =
      (await derive(client, level, firstOpen(level), STEPS_AT_ONCE[level.name], (from, to) =>
        wholeOf(client, level, from, to),
      )) || more;
  const hours = (await derivedBefore(client)).get(levelNumber(HOUR));
  if (hours === undefined) return more;
  return (await derive(client, DAY, Math.floor(hours / HOURS_A_DAY), 1, (day) => dayOf(client, day))) || more;
}

async function derive(
  client: Client,
  level: Level,
  end: number,
  most: number,
  make: (from: number, to: number) => AsyncIterable<Gathered[]>,
): Promise<boolean> {
  const known = (await derivedBefore(client)).get(levelNumber(level));
  if (known !== undefined && known >= end) return false;
  return transaction(client, async () => {
    // days are made of hours: those must not change meanwhile
    const locked = await derivedBefore(client, level === DAY ? [HOUR, DAY] : [level]);
    const from = locked.get(levelNumber(level)) ?? (await oldest(client, level));
    if (from === null) return false;
    const to = Math.min(end, from + most);
    if (to > from)
      for await (const rows of make(from, to)) {
        for (const { dimension, values } of rows) if (isBounded(dimension)) boundValues(values, MOST_VALUES, 0);
        await put(client, level, rows, false);
      }
    await client.query("update traffic_derived set before = $2 where level = $1", [
      levelNumber(level),
      Math.max(from, to),
    ]);
    return to < end;
  });
}

/** The first step there is to make sums of. */
async function oldest(db: Queryable, level: Level): Promise<number | null> {
  const from = level === DAY ? HOUR : level;
  const { rows } = await db.query<{ step: number | null }>(
    "select min(step) as step from traffic_sum where level = $1",
    [levelNumber(from)],
  );
  const step = rows[0]!.step;
  return step === null ? null : Math.floor((step * from.widthUs) / level.widthUs);
}

const rowsOf = async (db: Queryable, where: string, values: readonly unknown[]): Promise<TrafficRow[]> =>
  (await db.query<StoredRow>(`select ${COLUMNS} from traffic_sum where ${where}`, values as unknown[])).rows.map(
    (r) => ({ ...r, values: valuesOf(r) }),
  );

async function* wholeOf(db: Queryable, level: Level, from: number, to: number): AsyncGenerator<Gathered[]> {
  for (const dimension of level === FIVE ? ALWAYS_KEPT : EVERY)
    yield overAll(
      await rowsOf(db, "level = $1 and step >= $2 and step < $3 and way = $4 and dimension = $5 and sender <> $6", [
        ...[levelNumber(level), from, to, ONCE, dimension, ALL_EXPORTERS],
      ]),
    );
}

async function* dayOf(db: Queryable, day: number): AsyncGenerator<Gathered[]> {
  const window = [levelNumber(HOUR), day * HOURS_A_DAY, (day + 1) * HOURS_A_DAY];
  const { rows } = await db.query<{ sender: number }>(
    "select distinct sender from traffic_sum where level = $1 and step >= $2 and step < $3",
    window,
  );
  for (const { sender } of rows)
    yield byDay(await rowsOf(db, "level = $1 and step >= $2 and step < $3 and sender = $4", [...window, sender]));
}
