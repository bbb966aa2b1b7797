import { ArrivalRule, type ReadRule, readArrivalFilter } from "@halvik/core/arrive";
import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";

/** A rule of arrival as it is kept. */
export interface KeptRule {
  readonly id: number;
  readonly rule: ArrivalRule;
  readonly enabled: boolean;
  readonly author: string;
  readonly changedUs: number;
}

/** All rules, in their order. One that is not readable any more is left out by whoever runs them. */
export async function loadArrivalRules(db: Queryable): Promise<KeptRule[]> {
  const { rows } = await db.query<{ id: number; body: unknown; enabled: boolean; author: string; changed_us: number }>(
    "select id, body, enabled, author, changed_us from arrival_rule order by place, id",
  );
  return rows.flatMap(({ body, changed_us, ...r }) => {
    const rule = ArrivalRule.safeParse(body);
    return rule.success ? [{ ...r, rule: rule.data, changedUs: changed_us }] : [];
  });
}

/** The rules that run, ready. One whose filter names what is gone is left out, and said with the reason. */
export function readyRules(
  rules: readonly KeptRule[],
  directory: SenderDirectory,
): { readonly ready: ReadRule[]; readonly broken: { readonly id: number; readonly why: string }[] } {
  const ready: ReadRule[] = [];
  const broken: { id: number; why: string }[] = [];
  for (const { id, rule, enabled } of rules) {
    if (!enabled) continue;
    const parsed = readArrivalFilter(rule.filter, directory);
    if (parsed.ok) ready.push({ id, rule, filter: parsed.filter });
    else broken.push({ id, why: parsed.error.message });
  }
  return { ready, broken };
}

export async function addArrivalRule(db: Queryable, rule: ArrivalRule, who: string, nowUs: number): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into arrival_rule (place, body, author, changed_us) select coalesce(max(place), 0) + 1, $1::jsonb, $2, $3 from arrival_rule returning id",
    [JSON.stringify(rule), who, nowUs],
  );
  return rows[0]!.id;
}

/** @returns whether there is such a rule */
export async function changeArrivalRule(
  db: Queryable,
  id: number,
  change: { readonly rule?: ArrivalRule; readonly enabled?: boolean },
  who: string,
  nowUs: number,
): Promise<boolean> {
  const { rowCount } = await db.query(
    "update arrival_rule set body = coalesce($2::jsonb, body), enabled = coalesce($3, enabled), author = $4, changed_us = $5 where id = $1",
    [id, change.rule === undefined ? null : JSON.stringify(change.rule), change.enabled ?? null, who, nowUs],
  );
  return rowCount === 1;
}

/** @returns its name; null: there is none */
export async function removeArrivalRule(db: Queryable, id: number): Promise<string | null> {
  const { rows } = await db.query<{ name: string }>(
    "delete from arrival_rule where id = $1 returning body->>'name' as name",
    [id],
  );
  await db.query("delete from arrival_sample where rule = $1", [id]);
  return rows[0]?.name ?? null;
}

/** Gives all rules another order. @param ids each rule once */
export async function orderArrivalRules(db: Queryable, ids: readonly number[]): Promise<void> {
  await db.query(
    "update arrival_rule r set place = o.place from unnest($1::int[]) with ordinality as o (id, place) where o.id = r.id",
    [ids],
  );
}

export interface RuleUses {
  readonly rule: number;
  readonly day: number;
  readonly week: number;
  readonly dropped: number;
  readonly bytes: number;
  readonly lastHourUs: number | null;
}

/** What each rule did in the last day and week. */
export async function arrivalUses(db: Queryable, nowUs: number): Promise<RuleUses[]> {
  const { rows } = await db.query<{
    rule: number;
    day: number;
    week: number;
    dropped: number;
    bytes: number;
    last: number | null;
  }>(
    `select rule, coalesce(sum(met) filter (where hour >= $1), 0)::float8 as day, sum(met)::float8 as week, sum(dropped)::float8 as dropped, sum(bytes)::float8 as bytes, max(hour) as last
     from arrival_rule_use where hour >= $2 group by rule`,
    [Math.floor((nowUs - US_PER_DAY) / US_PER_HOUR), Math.floor((nowUs - 7 * US_PER_DAY) / US_PER_HOUR)],
  );
  return rows.map(({ last, ...r }) => ({ ...r, lastHourUs: last === null ? null : last * US_PER_HOUR }));
}

export async function droppedSamples(
  db: Queryable,
): Promise<{ rule: number; atUs: number; sender: number; text: string }[]> {
  const { rows } = await db.query<{ rule: number; at_us: number; sender: number; text: string }>(
    "select rule, at_us, sender, text from arrival_sample order by id desc limit 2000",
  );
  return rows.map(({ at_us, ...r }) => ({ ...r, atUs: at_us }));
}
