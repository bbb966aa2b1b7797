import { US_PER_DAY } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";
import { ROLLUP_LEVELS } from "../rollups.js";
import type { KeepTraffic } from "../traffic/write-sums.js";

/**
 * What is kept beside the records, and does not go with their segments: counts, counters of interfaces, what exporters said of themselves, names
 * that are missing. Each grows with whatever is sent, so each has a bound.
 */
const ROWS_AT_ONCE = 20_000;
/** Domains whose templates a collector begins with when it starts again; those used last stay. It holds no more at a time. */
const MOST_DOMAINS = 10_000;
/** Object identifiers without a name; those that came most often stay. */
const MOST_UNNAMED = 5_000;

/** How many of each are kept at most: less in tests. */
export interface Bounds {
  readonly domains: number;
  readonly unnamed: number;
}

/** @param beat called between parts of the work */
export async function pruneBeside(
  db: Queryable,
  keep: KeepTraffic,
  nowUs: number,
  beat: () => Promise<unknown>,
  bounds: Bounds = { domains: MOST_DOMAINS, unnamed: MOST_UNNAMED },
): Promise<void> {
  await pruneCounts(db, keep, nowUs, beat);
  await deleteAll(db, "interface_measure", `"time" < $1::bigint`, [nowUs - keep.five * US_PER_DAY], beat);
  const domains = await db.query(
    "delete from flow_domain where key in (select key from flow_domain order by changed_us desc, key offset $1)",
    [bounds.domains],
  );
  if ((domains.rowCount ?? 0) > 0)
    await db.query(
      "delete from interface_name where exporter not in (select split_part(key, ' ', 1) from flow_domain where key like '% %')",
    );
  await db.query(
    "delete from unnamed_oid where oid in (select oid from unnamed_oid order by count desc, last_us desc, oid offset $1)",
    [bounds.unnamed],
  );
}

/** Counts of a time stay as long as sums of traffic of that width do, and in any case as long as there may be records of it. */
async function pruneCounts(
  db: Queryable,
  keep: KeepTraffic,
  nowUs: number,
  beat: () => Promise<unknown>,
): Promise<void> {
  const days = { rollup_minute: keep.minute, rollup_five_minutes: keep.five, rollup_hour: keep.hour };
  for (const { table, widthUs } of ROLLUP_LEVELS)
    await deleteAll(
      db,
      table,
      // asked as rows are deleted: an import of last year's file may begin at any moment
      "bucket < (select least($1::bigint, min(min_time)) from segment) / $2::bigint",
      [nowUs - days[table] * US_PER_DAY, widthUs],
      beat,
    );
}

/** Deletes what is before a bound, some at a time: what has gathered for years does not hold anybody up. */
async function deleteAll(
  db: Queryable,
  table: string,
  where: string,
  bounds: readonly number[],
  beat: () => Promise<unknown>,
): Promise<void> {
  for (;;) {
    const { rowCount } = await db.query(
      `delete from ${table} where ctid = any(array(select ctid from ${table} where ${where} limit ${ROWS_AT_ONCE}))`,
      [...bounds],
    );
    await beat();
    if ((rowCount ?? 0) < ROWS_AT_ONCE) return;
  }
}
