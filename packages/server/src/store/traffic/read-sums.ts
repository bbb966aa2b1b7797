import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { DIMENSIONS, type Dimension, LEVELS, type Level } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { tableOf } from "./write-sums.js";

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
    const { rows } = await db.query<{
      bucket: number;
      side: 0 | 1;
      value: string;
      bytes: number;
      packets: number;
      flows: number;
      estimated: number;
      rate: number;
    }>(
      `select floor(t.step * $8::float8 / $9::float8)::float8 as bucket, m.side, t.value, sum(t.bytes)::float8 as bytes, sum(t.packets)::float8 as packets,
         sum(t.flows)::float8 as flows, sum(t.estimated)::float8 as estimated, max(t.rate) as rate
       from unnest($1::int[], $2::bigint[], $3::smallint[], $4::int[]) as m (sender, interface, way, side)
       join ${tableOf(level)} t on t.sender = m.sender and t.interface = m.interface and t.way = m.way
       where t.dimension = $5 and t.step >= $6 and t.step < $7 ${only === null ? "" : "and t.value = any($10::text[])"}
       group by 1, 2, 3`,
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
        ...(only === null ? [] : [only]),
      ],
    );
    for (const { bucket, ...rest } of rows) all.push({ fromUs: bucket * bucketUs, ...rest });
  }
  return all;
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
