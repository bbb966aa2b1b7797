import { fold } from "@halvik/core/base/text";
import type { EpochUs } from "@halvik/core/base/time";
import { eachSighted, type HalvikRecord, SIGHTED, type Sighted } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import type { Queryable } from "../kernel/db/pool.js";
import { filterToSql, Params } from "./filter-sql.js";
import { segmentTable } from "./segments.js";
import { sourcesBetween } from "./sources.js";

/** Values that are kept; of more, those seen last. */
const MOST_KEPT = 5_000_000;

interface Seen {
  records: number;
  firstUs: EpochUs;
  lastUs: EpochUs;
}

/** When the values of some records were seen, so that first and last time outlive the records. */
export class ValuesSeen {
  private readonly byField: readonly Map<string, Seen>[] = SIGHTED.map(() => new Map());

  /** @param but values of this one are left out */
  add(record: HalvikRecord, but: HalvikRecord | null = null): void {
    const { timeUs } = record;
    const known = new Set<string>();
    if (but !== null) eachSighted(but, (of, value) => known.add(`${of} ${value}`));
    eachSighted(record, (of, value) => {
      if (but !== null && known.has(`${of} ${value}`)) return;
      const seen = this.byField[of]!.get(value);
      if (seen === undefined) this.byField[of]!.set(value, { records: 1, firstUs: timeUs, lastUs: timeUs });
      else {
        seen.records++;
        if (timeUs < seen.firstUs) seen.firstUs = timeUs;
        if (timeUs > seen.lastUs) seen.lastUs = timeUs;
      }
    });
  }

  /** Adds what was seen to what is kept. Belongs in the transaction that notes that these records have been looked through. */
  async write(db: Queryable): Promise<void> {
    for (const [field, seen] of this.byField.entries()) {
      if (seen.size === 0) continue;
      // in the order of the key: neighbours lie on the same page
      const all = [...seen].sort(([a], [b]) => (a < b ? -1 : 1));
      await db.query(
        `insert into sighting as s (field, value, first_us, last_us, records)
         select $1, v, f, l, n from unnest($2::text[], $3::bigint[], $4::bigint[], $5::bigint[]) as t (v, f, l, n)
         on conflict (field, value) do update set records = s.records + excluded.records,
           first_us = least(s.first_us, excluded.first_us), last_us = greatest(s.last_us, excluded.last_us)`,
        [
          field,
          all.map(([value]) => value),
          all.map(([, s]) => s.firstUs),
          all.map(([, s]) => s.lastUs),
          all.map(([, s]) => s.records),
        ],
      );
    }
  }

  /** Takes out again what records no longer say. A value that no record says is gone; of others the first and last time stay. */
  async takeOut(db: Queryable): Promise<void> {
    for (const [field, seen] of this.byField.entries()) {
      if (seen.size === 0) continue;
      const all = [...seen].sort(([a], [b]) => (a < b ? -1 : 1));
      const values = [field, all.map(([value]) => value), all.map(([, s]) => s.records)];
      await db.query(
        `update sighting s set records = s.records - n.records from unnest($2::text[], $3::bigint[]) as n (value, records)
         where s.field = $1 and s.value = n.value`,
        values,
      );
      await db.query(
        "delete from sighting where field = $1 and value = any($2::text[]) and records <= 0",
        values.slice(0, 2),
      );
    }
  }
}

/** Lets go of the values seen least recently, where there are too many; how many went is kept. @param most of values */
export async function pruneSightings(db: Queryable, most = MOST_KEPT): Promise<void> {
  const { rows } = await db.query<{ about: number }>(
    "select greatest(reltuples, 0)::bigint as about from pg_class where oid = 'public.sighting'::regclass",
  );
  // the database's own estimate is enough to know that there are far fewer
  if (most === MOST_KEPT && rows[0]!.about < 0.9 * most) return;
  const gone = await db.query<{ last_us: number }>(
    "delete from sighting where ctid in (select ctid from sighting order by last_us desc, field, value offset $1) returning last_us",
    [most],
  );
  const { rowCount } = gone;
  if (rowCount === null || rowCount === 0) return;
  const newest = gone.rows.reduce((max, r) => Math.max(max, r.last_us), 0);
  await db.query(
    "update sighting_state set evicted = evicted + $1, evicted_before_us = greatest(evicted_before_us, $2)",
    [rowCount, newest],
  );
}

/** When a value was first and last seen, in all there ever was. */
export interface Sighting {
  /** Null: never. */
  readonly firstUs: EpochUs | null;
  readonly lastUs: EpochUs | null;
  readonly records: number;
  /** In a store that had records before values were kept track of: since when they are; null: of all its records. */
  readonly sinceUs: EpochUs | null;
  /** Values that have been let go of, and up to when those were seen: what is not there may be among them. */
  readonly evicted: number;
  readonly evictedBeforeUs: EpochUs | null;
}

/**
 * First and last time of a value in any of its spellings: what has been looked through as it is kept, what has been stored since by looking at it.
 * @param filter the same as a filter
 */
export async function sightingOf(
  db: Queryable,
  of: Sighted,
  value: string,
  filter: Filter,
  directory: SenderDirectory,
  nowUs: EpochUs,
): Promise<Sighting> {
  const spellings =
    of === "user" || of === "host" ? directory.ours.spellings(of, value) : [of === "event" ? value : fold(value)];
  const { rows } = await db.query<{
    first: number | null;
    last: number | null;
    records: number;
    since: number | null;
    evicted: number;
    evicted_before: number | null;
  }>(
    `select min(first_us) as first, max(last_us) as last, coalesce(sum(records), 0)::bigint as records,
       (select since_us from sighting_state) as since, (select evicted from sighting_state) as evicted, (select evicted_before_us from sighting_state) as evicted_before
     from sighting where field = $1 and value = any($2::text[])`,
    [SIGHTED.indexOf(of), spellings],
  );
  const kept = rows[0]!;
  const fresh = { first: kept.first, last: kept.last, records: kept.records };
  for (const source of await sourcesBetween(db, Number.MIN_SAFE_INTEGER, Number.MAX_SAFE_INTEGER)) {
    if (source.part !== null || (source.shape === "flow" && of !== "address")) continue;
    const params = new Params();
    const condition = filterToSql(filter, params, { directory, nowUs, shape: source.shape });
    const after = source.firstId === null ? "true" : `r.id > ${params.add(source.firstId, "::bigint")}`;
    const tail = await tailOf(
      db,
      `select min(r.time) as first, max(r.time) as last, count(*)::int as records from ${segmentTable(source.segment)} r where ${after} and ${condition.text}`,
      params.values,
    );
    if (tail === null || tail.first === null || tail.last === null) continue;
    fresh.first = fresh.first === null ? tail.first : Math.min(fresh.first, tail.first);
    fresh.last = fresh.last === null ? tail.last : Math.max(fresh.last, tail.last);
    fresh.records += tail.records;
  }
  return {
    firstUs: fresh.first,
    lastUs: fresh.last,
    records: fresh.records,
    sinceUs: kept.since,
    evicted: kept.evicted,
    evictedBeforeUs: kept.evicted_before,
  };
}

interface Tail {
  readonly first: number | null;
  readonly last: number | null;
  readonly records: number;
}

const UNDEFINED_TABLE = "42P01";

/** What stands in what is not looked through yet of a segment; null: it was dropped meanwhile. */
async function tailOf(db: Queryable, text: string, values: readonly unknown[]): Promise<Tail | null> {
  try {
    return (await db.query<Tail>(text, [...values])).rows[0]!;
  } catch (e) {
    if ((e as { code?: string }).code === UNDEFINED_TABLE) return null;
    throw e;
  }
}
