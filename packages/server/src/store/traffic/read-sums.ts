import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { DIMENSIONS, type Dimension, LEVELS, type Level, type TrafficRow } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { levelNumber } from "./write-sums.js";

/** Sums that are read together: of one exporter, interface and way, for one side of the picture. */
export interface Meter {
  readonly sender: number;
  readonly interface: number;
  readonly way: number;
  /** 0 and 1: of one's own choosing. */
  readonly side: 0 | 1;
}

export interface SumRow {
  /** When its bucket begins. */
  readonly fromUs: number;
  readonly side: 0 | 1;
  readonly value: string;
  readonly bytes: number;
  readonly packets: number;
  readonly flows: number;
  readonly estimated: number;
  readonly rate: number;
}

interface Piece {
  readonly level: Level;
  readonly fromUs: number;
  readonly toUs: number;
}

const [MINUTE, FIVE, HOUR] = LEVELS;
/** Up to this long a window is read by five minutes throughout. */
const ALL_FIVE_US = 26 * US_PER_HOUR;

/** A window on the boundaries of steps: the smallest that holds it. */
export const onSteps = (fromUs: number, toUs: number, widthUs: number): { fromUs: number; toUs: number } => ({
  fromUs: Math.floor(fromUs / widthUs) * widthUs,
  toUs: Math.max(Math.ceil(toUs / widthUs), Math.floor(fromUs / widthUs) + 1) * widthUs,
});

/**
 * By which sums a window is answered: whole hours by the hour, what is left at its ends by five minutes.
 * @param widthUs of the buckets that are asked for
 * @param fiveSinceUs from when on there are sums by five minutes
 */
export function piecesOf(fromUs: number, toUs: number, widthUs: number, fiveSinceUs: number): Piece[] {
  if (widthUs < FIVE.widthUs) return [{ level: MINUTE, fromUs, toUs }];
  if ((widthUs < HOUR.widthUs || toUs - fromUs <= ALL_FIVE_US) && fromUs >= fiveSinceUs)
    return [{ level: FIVE, fromUs, toUs }];
  const firstHour = Math.ceil(fromUs / HOUR.widthUs) * HOUR.widthUs;
  const lastHour = Math.max(firstHour, Math.floor(toUs / HOUR.widthUs) * HOUR.widthUs);
  const hasFive = firstHour > fiveSinceUs;
  return [
    ...(hasFive ? [{ level: FIVE, fromUs, toUs: Math.min(firstHour, toUs) }] : []),
    { level: HOUR, fromUs: hasFive ? firstHour : firstHour - HOUR.widthUs, toUs: lastHour },
    ...(lastHour >= firstHour ? [{ level: FIVE, fromUs: lastHour, toUs }] : []),
  ].filter((p) => p.toUs > p.fromUs);
}

/** Sums over a window by bucket, side and value; buckets are whole widths since the epoch. */
export async function readSums(
  db: Queryable,
  meters: readonly Meter[],
  dimension: Dimension,
  pieces: readonly Piece[],
  bucketUs: number,
  only: readonly string[] | null = null,
): Promise<SumRow[]> {
  const all: SumRow[] = [];
  for (const { level, fromUs, toUs } of pieces) {
    const wanted = only === null ? "" : "and u.value = any($11::text[])";
    const { rows } = await db.query<Omit<SumRow, "fromUs"> & { bucket: number }>(
      `select floor(p.step * $8::float8 / $9::float8)::float8 as bucket, m.side, u.value, sum(u.bytes)::float8 as bytes, sum(u.packets)::float8 as packets,
         sum(u.flows)::float8 as flows, sum(case when u.place = 1 then p.estimated else 0 end)::float8 as estimated, max(p.rate) as rate
       from unnest($1::int[], $2::bigint[], $3::smallint[], $4::int[]) as m (sender, interface, way, side)
       join traffic_sum p on p.level = $10 and p.sender = m.sender and p.interface = m.interface and p.way = m.way,
         unnest(p.vals, p.bytes, p.packets, p.flows) with ordinality as u (value, bytes, packets, flows, place)
       where p.dimension = $5 and p.step >= $6 and p.step < $7 ${wanted} group by 1, 2, 3`,
      [
        meters.map((m) => m.sender),
        meters.map((m) => m.interface),
        meters.map((m) => m.way),
        meters.map((m) => m.side),
        DIMENSIONS.indexOf(dimension),
        Math.floor(fromUs / level.widthUs),
        Math.ceil(toUs / level.widthUs),
        level.widthUs,
        bucketUs,
        levelNumber(level),
        ...(only === null ? [] : [only]),
      ],
    );
    for (const { bucket, ...rest } of rows) all.push({ fromUs: bucket * bucketUs, ...rest });
  }
  return all;
}

/** The same of sums that are at hand: of one level. */
export function sumsAtHand(
  all: readonly TrafficRow[],
  level: Level,
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
    const us = step * level.widthUs;
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
