import type { Queryable } from "../../kernel/db/pool.js";

/** Where a record lies, and how far others have read. */
export interface Whereabouts {
  readonly segment: string;
  /** Days its segment is kept; null: as long as others. */
  readonly keepDays: number | null;
  /** Rules run over its batch; null: the batch is not listed any more. */
  readonly runRules: boolean | null;
  readonly committedUs: number | null;
  readonly indexed: boolean;
  /** The engine has read it. */
  readonly engineRead: boolean;
}

/** @param id decimal. @returns null: no such record is stored */
export async function whereabouts(db: Queryable, id: string, segment: string): Promise<Whereabouts | null> {
  const { rows } = await db.query<{
    keep_days: number | null;
    run_rules: boolean | null;
    committed_us: number | null;
    indexed: boolean;
    engine_read: boolean;
  }>(
    `select s.keep_days, b.run_rules, b.committed_us, coalesce(s.indexed_id >= $1::bigint, false) as indexed,
       coalesce(b.number <= c.number, b.number is null) as engine_read
     from segment s
       left join lateral (select * from batch b where b.collector = s.collector and b.low_id <= $1::bigint and b.high_id >= $1::bigint order by b.number desc limit 1) b on true
       left join engine_cursor c on c.collector = s.collector
     where s.name = $2`,
    [id, segment],
  );
  const row = rows[0];
  if (row === undefined) return null;
  return {
    segment,
    keepDays: row.keep_days,
    runRules: row.run_rules,
    committedUs: row.committed_us,
    indexed: row.indexed,
    engineRead: row.engine_read,
  };
}

export interface Told {
  readonly route: string;
  readonly state: string;
  readonly why: string;
  readonly madeUs: number;
  readonly endedUs: number | null;
}

/** What was told of incidents since a moment. */
export async function toldOf(db: Queryable, incidents: readonly number[], sinceUs: number): Promise<Told[]> {
  const { rows } = await db.query<{
    route: string;
    state: string;
    why: string;
    made_us: number;
    ended_us: number | null;
  }>(
    "select route_name as route, state, why, made_us, ended_us from delivery where incident = any($1::int[]) and made_us >= $2 order by id limit 20",
    [incidents, sinceUs],
  );
  return rows.map(({ made_us, ended_us, ...r }) => ({ ...r, madeUs: made_us, endedUs: ended_us }));
}
