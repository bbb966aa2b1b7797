import { Rule } from "@halvik/core/detect";
import type { Queryable } from "../../../kernel/db/pool.js";

export interface FollowedBatch {
  readonly collector: number;
  readonly kind: "live" | "import" | "engine";
  readonly number: number;
  readonly rows: number;
  readonly lowId: string | null;
  readonly highId: string | null;
  readonly throughUs: number;
  readonly runRules: boolean;
}

/** Committed batches after each collector's cursor, in order, at most `most` per collector. */
export async function batchesToFollow(db: Queryable, most: number): Promise<FollowedBatch[]> {
  const { rows } = await db.query<{
    collector: number;
    kind: FollowedBatch["kind"];
    number: number;
    rows: number;
    low_id: string | null;
    high_id: string | null;
    through_us: number;
    run_rules: boolean;
  }>(
    `select b.collector, c.kind, b.number, b.rows, b.low_id::text, b.high_id::text, b.through_us, b.run_rules
     from collector c left join engine_cursor e on e.collector = c.number
     cross join lateral (select * from batch where collector = c.number and number > coalesce(e.number, 0) order by number limit $1) b
     order by b.collector, b.number`,
    [most],
  );
  return rows.map((r) => ({
    collector: r.collector,
    kind: r.kind,
    number: r.number,
    rows: r.rows,
    lowId: r.low_id,
    highId: r.high_id,
    throughUs: r.through_us,
    runRules: r.run_rules,
  }));
}

export interface Cursor {
  readonly collector: number;
  readonly kind: FollowedBatch["kind"];
  readonly number: number;
  readonly throughUs: number;
}

export async function loadCursors(db: Queryable): Promise<Cursor[]> {
  const { rows } = await db.query<{
    collector: number;
    kind: Cursor["kind"];
    number: number;
    through_us: number;
  }>(
    "select e.collector, c.kind, e.number, e.through_us from engine_cursor e join collector c on c.number = e.collector",
  );
  return rows.map((r) => ({
    collector: r.collector,
    kind: r.kind,
    number: r.number,
    throughUs: r.through_us,
  }));
}

export async function saveCursor(
  db: Queryable,
  cursor: Pick<Cursor, "collector" | "number" | "throughUs">,
): Promise<void> {
  await db.query(
    "insert into engine_cursor (collector, number, through_us) values ($1, $2, $3) on conflict (collector) do update set number = $2, through_us = $3",
    [cursor.collector, cursor.number, cursor.throughUs],
  );
}

export interface LoadedRules {
  readonly rules: Rule[];
  readonly version: number;
  /** Those that failed and wait for someone to look at them. */
  readonly stopped: readonly string[];
  /** Those whose text is no rule, with the reason. */
  readonly broken: readonly { readonly ruleId: string; readonly reason: string }[];
}

/** The rules that run. */
export async function loadRules(db: Queryable): Promise<LoadedRules> {
  const change = await db.query<{ version: number }>("select version from rule_change");
  const { rows } = await db.query<{ id: string; body: unknown; stopped: boolean }>(
    "select r.id, r.body, coalesce(f.stopped, false) as stopped from rule r left join rule_failure f on f.rule_id = r.id and f.version = r.version order by r.id",
  );
  const rules: Rule[] = [];
  const broken: { ruleId: string; reason: string }[] = [];
  for (const { id, body, stopped } of rows) {
    if (stopped) continue;
    const rule = Rule.safeParse(body);
    if (rule.success) rules.push(rule.data);
    else broken.push({ ruleId: id, reason: rule.error.issues[0]?.message ?? "no rule" });
  }
  const stopped = [...rows.filter((r) => r.stopped).map((r) => r.id), ...broken.map((b) => b.ruleId)];
  return { rules, version: change.rows[0]!.version, stopped, broken };
}

export async function ruleVersion(db: Queryable): Promise<number> {
  return (await db.query<{ version: number }>("select version from rule_change")).rows[0]!.version;
}

export interface Close {
  readonly ruleId: string;
  readonly key: string;
  readonly atUs: number;
}

/** Closings by people not yet seen by the engine, or (`taken`) those it has seen and must see again after a restart. */
export async function takeCloses(db: Queryable, taken: boolean, nowUs: number): Promise<Close[]> {
  const sql = taken
    ? "select rule_id, key, at_us from engine_close where taken"
    : "update engine_close set taken = true where not taken and due_us <= $1 returning rule_id, key, at_us";
  const { rows } = await db.query<{ rule_id: string; key: string; at_us: number }>(sql, taken ? [] : [nowUs]);
  return rows.map((r) => ({ ruleId: r.rule_id, key: r.key, atUs: r.at_us }));
}

export async function forgetCloses(db: Queryable, beforeUs: number): Promise<void> {
  await db.query("delete from engine_close where taken and at_us < $1", [beforeUs]);
}

/** Up to where each lane is settled: what came after is read again after a restart. */
export async function loadLanes(db: Queryable): Promise<Map<string, number>> {
  const { rows } = await db.query<{ lane: string; watermark_us: number }>("select lane, watermark_us from engine_lane");
  return new Map(rows.map((r) => [r.lane, r.watermark_us]));
}

export async function saveLanes(db: Queryable, lanes: ReadonlyMap<string, number>): Promise<void> {
  await db.query(
    `insert into engine_lane (lane, watermark_us) select * from unnest($1::text[], $2::bigint[])
     on conflict (lane) do update set watermark_us = excluded.watermark_us`,
    [[...lanes.keys()], [...lanes.values()]],
  );
}

export async function forgetLane(db: Queryable, lane: string): Promise<void> {
  await db.query("delete from engine_lane where lane = $1", [lane]);
}

/** Batches that the engine has followed already, whose records may lie after a watermark. */
export async function batchesToReplay(db: Queryable, cursor: Cursor, throughUs: number): Promise<FollowedBatch[]> {
  const { rows } = await db.query<{
    number: number;
    rows: number;
    low_id: string | null;
    high_id: string | null;
    through_us: number;
    run_rules: boolean;
  }>(
    "select number, rows, low_id::text, high_id::text, through_us, run_rules from batch where collector = $1 and number <= $2 and through_us >= $3 and rows > 0 order by number",
    [cursor.collector, cursor.number, throughUs],
  );
  return rows.map((r) => ({
    collector: cursor.collector,
    kind: cursor.kind,
    number: r.number,
    rows: r.rows,
    lowId: r.low_id,
    highId: r.high_id,
    throughUs: r.through_us,
    runRules: r.run_rules,
  }));
}
