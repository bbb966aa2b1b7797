import { US_PER_DAY } from "@halvik/core/base/time";
import {
  CUT,
  DIMENSIONS,
  type Dimension,
  LEVELS,
  type Level,
  NO_INTERFACE,
  type TrafficRow,
  WAYS,
} from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { ALL_EXPORTERS, type Derived, derivedBefore, isWhole } from "./derive-sums.js";
import { levelNumber } from "./sum-rows.js";

/** Sums that are read together: of one exporter, interface and way, for one side of the picture. */
export interface Meter {
  readonly sender: number;
  readonly interface: number;
  readonly way: number;
  /** Of one's own choosing: what has the same is summed together. */
  readonly side: number;
}

export interface SumRow {
  /** When its bucket begins. */
  readonly fromUs: number;
  readonly side: number;
  readonly value: string;
  readonly bytes: number;
  readonly packets: number;
  readonly flows: number;
  readonly estimated: number;
  readonly rate: number;
}

/** Meters that are read together, and by which sums. */
export interface MeterSet {
  readonly meters: readonly Meter[];
  /** They are all there is, each on the same side: before these steps sums over all exporters stand in for them. Null: they are not. */
  readonly whole: Derived | null;
}
export const meterSet = (meters: readonly Meter[]): MeterSet => ({ meters, whole: null });

interface Piece {
  readonly level: Level;
  readonly fromUs: number;
  readonly toUs: number;
}

/** Which sums there are. */
export interface SumsKept {
  /** From when on there are sums by five minutes. */
  readonly fiveSinceUs: number;
  readonly derived: Derived;
}

const [MINUTE, FIVE, HOUR, DAY] = LEVELS;
/** Stands for the width of a bucket that holds any window. */
export const WHOLE_WINDOW = Number.MAX_SAFE_INTEGER;

/** A window on the boundaries of steps: the smallest that holds it. */
export const onSteps = (fromUs: number, toUs: number, widthUs: number): { fromUs: number; toUs: number } => ({
  fromUs: Math.floor(fromUs / widthUs) * widthUs,
  toUs: Math.max(Math.ceil(toUs / widthUs), Math.floor(fromUs / widthUs) + 1) * widthUs,
});

/**
 * By which sums a window is answered: by the coarsest that go into its buckets, what is left at its ends by finer ones.
 * @param widthUs of the buckets that are asked for
 */
export function piecesOf(fromUs: number, toUs: number, widthUs: number, { fiveSinceUs, derived }: SumsKept): Piece[] {
  if (widthUs < FIVE.widthUs) return [{ level: MINUTE, fromUs, toUs }];
  const fits = (level: Level) => widthUs === WHOLE_WINDOW || widthUs % level.widthUs === 0;
  if (!fits(HOUR) && fromUs >= fiveSinceUs) return [{ level: FIVE, fromUs, toUs }];
  const hours = within(HOUR, fromUs, toUs);
  const days = within(DAY, hours.fromUs, hours.toUs, (derived.get(levelNumber(DAY)) ?? 0) * DAY.widthUs);
  const hasDays = fits(DAY) && days.toUs > days.fromUs;
  const hasFive = hours.fromUs > fiveSinceUs;
  const firstHour = hasFive ? hours.fromUs : Math.floor(fromUs / HOUR.widthUs) * HOUR.widthUs;
  return [
    ...(hasFive ? [{ level: FIVE, fromUs, toUs: Math.min(hours.fromUs, toUs) }] : []),
    ...(hasDays
      ? [
          { level: HOUR, fromUs: firstHour, toUs: days.fromUs },
          { level: DAY, ...days },
          { level: HOUR, fromUs: days.toUs, toUs: hours.toUs },
        ]
      : [{ level: HOUR, fromUs: firstHour, toUs: hours.toUs }]),
    ...(hours.toUs >= hours.fromUs ? [{ level: FIVE, fromUs: hours.toUs, toUs }] : []),
  ].filter((p) => p.toUs > p.fromUs);
}

/** The whole steps in a window, before an end. */
function within({ widthUs }: Level, fromUs: number, toUs: number, beforeUs = Number.POSITIVE_INFINITY) {
  const first = Math.ceil(fromUs / widthUs) * widthUs;
  return { fromUs: first, toUs: Math.max(first, Math.floor(Math.min(toUs, beforeUs) / widthUs) * widthUs) };
}

/** Rows of sums by value: of these meters ($1 to $4), in a dimension ($5), in these stretches of steps of levels ($6 to $10). */
const STRETCHES = `from unnest($1::int[], $2::bigint[], $3::smallint[], $4::int[]) as m (sender, interface, way, side)
  join unnest($6::smallint[], $7::int[], $8::int[], $9::float8[], $10::bool[]) as w (level, low, high, width, whole) on w.whole = (m.sender = ${ALL_EXPORTERS})
  join traffic_sum p on p.level = w.level and p.sender = m.sender and p.interface = m.interface and p.way = m.way and p.dimension = $5
    and p.step >= w.low and p.step < w.high`;
const TOLD = `${STRETCHES}, unnest(p.vals, p.bytes, p.packets, p.flows) with ordinality as u (value, bytes, packets, flows, place)`;
const SUMS = `sum(u.bytes::float8) as bytes, sum(u.packets::float8) as packets, sum(u.flows::float8) as flows,
  sum(case when u.place = 1 then p.estimated::float8 else 0 end) as estimated, max(p.rate) as rate`;

const toldBy = (set: MeterSet, dimension: Dimension, pieces: readonly Piece[], of = dimension): unknown[] => {
  const stretches = pieces.flatMap((p) => stretchesOf(p, set.whole, dimension));
  const side = set.meters[0]?.side ?? 0;
  const meters = stretches.some((s) => s.isWhole) ? [...set.meters, { ...EVERYTHING, side }] : set.meters;
  return [
    meters.map((m) => m.sender),
    meters.map((m) => m.interface),
    meters.map((m) => m.way),
    meters.map((m) => m.side),
    DIMENSIONS.indexOf(of),
    stretches.map((s) => levelNumber(s.level)),
    stretches.map((s) => s.low),
    stretches.map((s) => s.high),
    stretches.map((s) => s.level.widthUs),
    stretches.map((s) => s.isWhole),
  ];
};
const EVERYTHING = { sender: ALL_EXPORTERS, interface: NO_INTERFACE, way: WAYS.indexOf("once") };

/** Its steps, apart where sums over all exporters stand in for those of each. */
function stretchesOf({ level, fromUs, toUs }: Piece, whole: Derived | null, dimension: Dimension) {
  const [low, high] = [Math.floor(fromUs / level.widthUs), Math.ceil(toUs / level.widthUs)];
  const before =
    whole !== null && isWhole(level, DIMENSIONS.indexOf(dimension)) ? whole.get(levelNumber(level)) : undefined;
  const until = Math.min(high, Math.max(low, before ?? low));
  return [
    { level, low, high: until, isWhole: true },
    { level, low: until, high, isWhole: false },
  ].filter((s) => s.high > s.low);
}

/** Sums over a window by bucket, side and value; buckets are whole widths since the epoch, or {@link WHOLE_WINDOW}. */
export async function readSums(
  db: Queryable,
  meters: MeterSet,
  dimension: Dimension,
  pieces: readonly Piece[],
  bucketUs: number,
  only: readonly string[] | null = null,
): Promise<SumRow[]> {
  const { rows } = await db.query<Omit<SumRow, "fromUs"> & { bucket: number }>(
    `select floor(p.step * w.width / $11::float8)::float8 as bucket, m.side, u.value, ${SUMS} ${TOLD}
     ${only === null ? "" : "where u.value = any($12::text[])"} group by 1, 2, 3`,
    [...toldBy(meters, dimension, pieces), bucketUs, ...(only === null ? [] : [only])],
  );
  return rows.map(({ bucket, ...rest }) => ({ fromUs: bucket * bucketUs, ...rest }));
}

/** The greatest values of a dimension over a window, the greatest first; how many there are, and what was not kept of them. */
export async function readTop(
  db: Queryable,
  meters: MeterSet,
  dimension: Dimension,
  pieces: readonly Piece[],
  measure: "bytes" | "packets" | "flows",
  most: number,
): Promise<{ readonly rows: readonly Amounted[]; readonly distinct: number; readonly cut: Amounted | null }> {
  const { rows } = await db.query<Amounted & { distinct: number }>(
    `with sums as materialized (select u.value, ${SUMS} ${TOLD} group by 1)
     (select value, bytes, packets, flows, count(*) over ()::int as distinct from sums where value <> $12 order by ${measure} desc, value limit $11)
     union all select value, bytes, packets, flows, 0 from sums where value = $12`,
    [...toldBy(meters, dimension, pieces), most, CUT],
  );
  return {
    rows: rows.filter((r) => r.value !== CUT),
    distinct: rows[0]?.distinct ?? 0,
    cut: rows.find((r) => r.value === CUT) ?? null,
  };
}

/** The greatest values of a dimension by side over a window, the greatest first. @returns what was not kept of values among them, as {@link CUT} */
export async function readTopBySide(
  db: Queryable,
  meters: MeterSet,
  dimension: Dimension,
  pieces: readonly Piece[],
  measure: "bytes" | "packets" | "flows",
  most: number,
): Promise<Omit<SumRow, "fromUs">[]> {
  const { rows } = await db.query<Omit<SumRow, "fromUs">>(
    `select m.side, u.value, ${SUMS} ${TOLD} group by 1, 2 order by ${measure} desc, u.value, m.side limit $11`,
    [...toldBy(meters, dimension, pieces), most],
  );
  return rows;
}

/** Bytes of what has a total and no lists: it had too few flows in its step (`write-sums.ts`). */
export async function readUnlisted(db: Queryable, meters: MeterSet, pieces: readonly Piece[]): Promise<number> {
  const { rows } = await db.query<{ bytes: number }>(
    `select coalesce(sum(p.bytes[1]::float8), 0) as bytes ${STRETCHES}
     where not exists (select from traffic_sum l where (l.level, l.sender, l.interface, l.way, l.dimension, l.step) = (p.level, p.sender, p.interface, p.way, $11, p.step))`,
    [...toldBy(meters, "source", pieces, "total"), DIMENSIONS.indexOf("source")],
  );
  return rows[0]!.bytes;
}

/** The totals of a window by meter: `sender interface way`. */
export async function readByMeter(
  db: Queryable,
  meters: readonly Meter[],
  pieces: readonly Piece[],
): Promise<ReadonlyMap<string, Amounted>> {
  const { rows } = await db.query<Amounted & { meter: string }>(
    `select concat_ws(' ', m.sender, m.interface, m.way) as meter, ${SUMS} ${TOLD} group by 1`,
    toldBy(meterSet(meters), "total", pieces),
  );
  return new Map(rows.map((r) => [r.meter, r]));
}

/** What counts everything once: one meter for each exporter that ever told of traffic. */
export async function everywhere(db: Queryable): Promise<MeterSet> {
  const way = WAYS.indexOf("once");
  return {
    meters: (await trafficSources(db))
      .filter((s) => s.way === way)
      .map(({ sender, interface: iface }) => ({ sender, interface: iface, way, side: 0 })),
    whole: await derivedBefore(db),
  };
}

/** Sums of a dimension by whole hours that begin in these stretches, of everything counted once. */
export async function everywhereByHour(
  db: Queryable,
  dimension: Dimension,
  stretches: readonly { readonly fromUs: number; readonly toUs: number }[],
  only: readonly string[] | null = null,
): Promise<SumRow[]> {
  const pieces = stretches.map((s) => ({
    level: HOUR,
    fromUs: Math.ceil(s.fromUs / HOUR.widthUs) * HOUR.widthUs,
    toUs: Math.ceil(s.toUs / HOUR.widthUs) * HOUR.widthUs,
  }));
  return readSums(db, await everywhere(db), dimension, pieces, HOUR.widthUs, only);
}

/** In which hour since the epoch each of some values was first summed anywhere, of all that is kept. */
export async function firstSummed(
  db: Queryable,
  dimension: Dimension,
  values: readonly string[],
): Promise<ReadonlyMap<string, number>> {
  if (values.length === 0) return new Map();
  const { rows } = await db.query<{ value: string; step: number }>(
    `select u.value, min(p.step) as step from traffic_sum p, unnest(p.vals) as u (value)
     where p.level = $1 and p.dimension = $2 and p.way = $3 and p.vals && $4::text[] and u.value = any($4) group by 1`,
    [levelNumber(HOUR), DIMENSIONS.indexOf(dimension), WAYS.indexOf("once"), values],
  );
  return new Map(rows.map((r) => [r.value, r.step]));
}

/** What was summed of a value. */
export type Amounted = Pick<SumRow, "value" | "bytes" | "packets" | "flows">;

/** The same of sums that are at hand: of steps of one width. */
export function sumsAtHand(
  all: readonly TrafficRow[],
  { widthUs }: { readonly widthUs: number },
  meters: readonly Meter[],
  dimension: Dimension,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  bucketUs: number,
  only: readonly string[] | null = null,
): SumRow[] {
  const sides = new Map(meters.map((m) => [`${m.sender} ${m.interface} ${m.way}`, m.side]));
  const at = DIMENSIONS.indexOf(dimension);
  const rows = new Map<string, { -readonly [K in keyof SumRow]: SumRow[K] }>();
  for (const { step, sender, interface: iface, way, dimension: of, values, estimated, rate } of all) {
    const us = step * widthUs;
    const side = sides.get(`${sender} ${iface} ${way}`);
    if (of !== at || side === undefined || us < fromUs || us >= toUs) continue;
    const bucket = Math.floor(us / bucketUs) * bucketUs;
    let first = true;
    for (const [value, { bytes, packets, flows }] of values) {
      const share = first ? estimated : 0;
      first = false;
      if (only !== null && !only.includes(value)) continue;
      const key = `${bucket} ${side} ${value}`;
      const row = rows.get(key);
      if (row === undefined)
        rows.set(key, { fromUs: bucket, side, value, bytes, packets, flows, estimated: share, rate });
      else {
        row.bytes += bytes;
        row.packets += packets;
        row.flows += flows;
        row.estimated += share;
        row.rate = Math.max(row.rate, rate);
      }
    }
  }
  return [...rows.values()];
}

/** What tells of traffic, and from when to when. */
export interface TrafficSource {
  readonly sender: number;
  readonly interface: number;
  readonly way: number;
  readonly firstUs: number;
  readonly lastUs: number;
}

export async function trafficSources(db: Queryable): Promise<TrafficSource[]> {
  const { rows } = await db.query<{
    sender: number;
    interface: number;
    way: number;
    first_us: number;
    last_us: number;
  }>("select sender, interface, way, first_us, last_us from traffic_source order by sender, interface, way");
  return rows.map((r) => ({
    sender: r.sender,
    interface: r.interface,
    way: r.way,
    firstUs: r.first_us,
    lastUs: r.last_us,
  }));
}

/** From when on sums by the minute and by five minutes are kept, as they are set. */
export const keptSince = (days: number, nowUs: number): number => nowUs - days * US_PER_DAY;
