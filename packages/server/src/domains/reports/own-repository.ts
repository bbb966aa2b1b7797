import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import type { Window } from "@halvik/core/report";
import type { CloseReason } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";

interface IncidentTimes {
  readonly raisedUs: number;
  readonly acknowledgedUs: number | null;
  readonly closedAs: CloseReason | null;
}

const TIMES = `select i.raised_us as "raisedUs", i.acknowledged_us as "acknowledgedUs", i.close_reason as "closedAs" from incident i where i.merged_into is null`;

/** Incidents raised in a window; those that were merged are in the others. */
export async function incidentsOpened(db: Queryable, { fromUs, toUs }: Window): Promise<IncidentTimes[]> {
  return (await db.query<IncidentTimes>(`${TIMES} and i.raised_us >= $1 and i.raised_us < $2`, [fromUs, toUs])).rows;
}

/** Those that ended in it. */
export async function incidentsEnded(db: Queryable, { fromUs, toUs }: Window): Promise<IncidentTimes[]> {
  return (await db.query<IncidentTimes>(`${TIMES} and i.ended_us >= $1 and i.ended_us < $2`, [fromUs, toUs])).rows;
}

/** The worst and latest incidents that lasted into a window and began before its end. @param entities that name one of them; null: all */
export async function incidentsOf(
  db: Queryable,
  { fromUs, toUs }: Window,
  worst: number,
  most: number,
  entities: readonly string[] | null,
): Promise<{ readonly ids: readonly number[]; readonly all: number }> {
  const { rows } = await db.query<{ id: number; n: number }>(
    `select id, count(*) over ()::int as n from incident
     where merged_into is null and not folded and severity <= $3 and raised_us < $2 and (raised_us >= $1 or ended_us is null or ended_us >= $1)
       and ($5::text[] is null or entities && $5)
     order by severity, raised_us desc limit $4`,
    [fromUs, toUs, worst, most, entities],
  );
  return { ids: rows.map((r) => r.id), all: rows[0]?.n ?? 0 };
}

/** Messages whose fate was decided in a window; what went together is one. */
export async function deliveriesEnded(
  db: Queryable,
  { fromUs, toUs }: Window,
  state: "sent" | "dropped",
): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    "select count(distinct message)::int as n from delivery where state = $3 and ended_us >= $1 and ended_us < $2 and tells <> 'test'",
    [fromUs, toUs, state],
  );
  return rows[0]!.n;
}

/** In how many of its five minutes, of hours where it is long, a window has records. */
export async function stretchesWithRecords(db: Queryable, { fromUs, toUs }: Window): Promise<number> {
  const [table, widthUs] =
    toUs - fromUs > 2 * US_PER_DAY ? ["rollup_hour", US_PER_HOUR] : ["rollup_five_minutes", 5 * US_PER_MINUTE];
  const { rows } = await db.query<{ n: number }>(
    `select count(distinct bucket)::int as n from ${table} where bucket >= $1 and bucket < $2 and count > 0`,
    [Math.floor(fromUs / widthUs), Math.ceil(toUs / widthUs)],
  );
  return rows[0]!.n;
}

export async function silentSenders(db: Queryable): Promise<number> {
  return (await db.query<{ n: number }>("select count(*)::int as n from sender_silence")).rows[0]!.n;
}
