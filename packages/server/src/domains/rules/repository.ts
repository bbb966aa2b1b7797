import type { Progress, Rule } from "@halvik/core/detect";
import type { Queryable } from "../../kernel/db/pool.js";

export interface RuleRow {
  version: number;
  body: unknown;
  open: number;
  raised: number;
  last_raised_us: number | null;
}

const COLUMNS = `r.version, r.body,
  (select count(distinct f.incident)::int from finding f join incident i on i.id = f.incident where f.rule_id = r.id and i.state = 'open') as open,
  (select count(*)::int from finding f where f.rule_id = r.id) as raised,
  (select max(f.raised_us) from finding f where f.rule_id = r.id) as last_raised_us`;

export async function listRules(db: Queryable): Promise<RuleRow[]> {
  return (await db.query<RuleRow>(`select ${COLUMNS} from rule r order by r.id`)).rows;
}

export async function loadRule(db: Queryable, id: string): Promise<RuleRow | null> {
  return (await db.query<RuleRow>(`select ${COLUMNS} from rule r where r.id = $1`, [id])).rows[0] ?? null;
}

/** Every version of a rule, the newest first. */
export async function ruleVersions(
  db: Queryable,
  id: string,
): Promise<{ version: number; author: string; changed_us: number; body: unknown }[]> {
  const { rows } = await db.query<{ version: number; author: string; changed_us: number; body: unknown }>(
    "select version, author, changed_us, body from rule_version where id = $1 order by version desc limit 50",
    [id],
  );
  return rows;
}

/**
 * Keeps a rule as its next version: one more than any it ever had, whoever saves at the same moment. Belongs in a transaction.
 * @returns the version
 */
export async function saveRule(db: Queryable, rule: Rule, author: string, nowUs: number): Promise<number> {
  const { rows } = await db.query<{ version: number }>(
    `insert into rule as r (id, version, body, author, changed_us)
     values ($1, coalesce((select max(version) from rule_version where id = $1), 0) + 1, $2, $3, $4)
     on conflict (id) do update set version = r.version + 1, body = excluded.body, author = excluded.author, changed_us = excluded.changed_us
     returning version`,
    [rule.id, JSON.stringify(rule), author, nowUs],
  );
  const { version } = rows[0]!;
  await db.query("insert into rule_version (id, version, body, author, changed_us) values ($1, $2, $3, $4, $5)", [
    rule.id,
    version,
    JSON.stringify(rule),
    author,
    nowUs,
  ]);
  return version;
}

/** Which of some rules there never were, or are there in another text that their shipper wrote. */
export async function rulesToShip(
  db: Queryable,
  rules: readonly Rule[],
  shipper: string,
): Promise<ReadonlySet<string>> {
  const { rows } = await db.query<{ id: string }>(
    `select s.body->>'id' as id from unnest($1::jsonb[]) as s (body) left join rule r on r.id = s.body->>'id'
     where (r.id is null and not exists (select from rule_version v where v.id = s.body->>'id')) or (r.author = $2 and r.body <> s.body)`,
    [rules.map((rule) => JSON.stringify(rule)), shipper],
  );
  return new Set(rows.map((r) => r.id));
}

type Near = Progress & { readonly key: string };

/** What the engine says of a rule now and then. */
export interface Nearness {
  readonly near: readonly Near[];
  readonly forgot: number;
  /** Keys it remembers, and how many of them do not know yet what is usual. */
  readonly keys: number;
  readonly learning: number;
}

/** What the engine last said of a rule. */
export async function ruleNearness(db: Queryable, id: string): Promise<Nearness | null> {
  const { rows } = await db.query<Nearness>("select near, forgot, keys, learning from rule_state where rule_id = $1", [
    id,
  ]);
  return rows[0] ?? null;
}

export async function saveNearness(
  db: Queryable,
  rules: readonly (Nearness & { readonly id: string })[],
  nowUs: number,
): Promise<void> {
  await db.query("delete from rule_state");
  await db.query(
    "insert into rule_state (rule_id, near, forgot, keys, learning, changed_us) select *, $6::bigint from unnest($1::text[], $2::jsonb[], $3::bigint[], $4::int[], $5::int[])",
    [
      rules.map((r) => r.id),
      rules.map((r) => JSON.stringify(r.near)),
      rules.map((r) => r.forgot),
      rules.map((r) => r.keys),
      rules.map((r) => r.learning),
      nowUs,
    ],
  );
}
