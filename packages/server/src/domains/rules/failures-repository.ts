import type { Queryable } from "../../kernel/db/pool.js";

/** A rule that failed: stopped until it is edited or tried again, or running on without some of its findings. */
export interface RuleFailureRow {
  readonly ruleId: string;
  readonly sinceUs: number;
  readonly lastUs: number;
  readonly times: number;
  readonly reason: string;
  readonly stopped: boolean;
}

/** @returns whether it is a first time, or the one with which the rule stops */
export async function noteRuleFailure(
  db: Queryable,
  ruleId: string,
  reason: string,
  stopped: boolean,
  nowUs: number,
): Promise<boolean> {
  const { rows } = await db.query<{ fresh: boolean }>(
    `with before as (select stopped, version from rule_failure where rule_id = $1),
       now as (select coalesce((select version from rule where id = $1), 0) as version)
     insert into rule_failure (rule_id, version, since_us, last_us, reason, stopped)
     select $1, now.version, $4, $4, $2, $3 from now
     on conflict (rule_id) do update set last_us = $4, reason = $2, times = rule_failure.times + 1,
       stopped = excluded.stopped or (rule_failure.stopped and rule_failure.version = excluded.version), version = excluded.version
     returning not exists (select from before b, now where b.version = now.version and (b.stopped or not $3)) as fresh`,
    [ruleId, reason.slice(0, 500).replaceAll("\0", "\u2400").toWellFormed(), stopped, nowUs],
  );
  return rows[0]?.fresh ?? false;
}

/** Failures of the versions that rules have now. */
export async function ruleFailures(db: Queryable): Promise<RuleFailureRow[]> {
  const { rows } = await db.query<{
    rule_id: string;
    since_us: number;
    last_us: number;
    times: number;
    reason: string;
    stopped: boolean;
  }>(
    "select f.rule_id, f.since_us, f.last_us, f.times, f.reason, f.stopped from rule_failure f join rule r on r.id = f.rule_id and r.version = f.version",
  );
  return rows.map((r) => ({
    ruleId: r.rule_id,
    sinceUs: r.since_us,
    lastUs: r.last_us,
    times: r.times,
    reason: r.reason,
    stopped: r.stopped,
  }));
}

/** Forgets that a rule failed: it runs again. @returns whether it had */
export async function forgetRuleFailure(db: Queryable, ruleId: string): Promise<boolean> {
  return ((await db.query("delete from rule_failure where rule_id = $1", [ruleId])).rowCount ?? 0) > 0;
}
