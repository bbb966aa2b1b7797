import { type Rule, shippedRules } from "@halvik/core/detect";
import { type Client, transaction } from "../../kernel/db/pool.js";
import { saveRule } from "./repository.js";

/** Whose rules those are that nobody has changed. */
const SHIPPER = "Halvik";

/**
 * A rule that a newer Halvik ships comes with it, and one that it ships in another version takes the place of the one before, as a version
 * of its own. One that somebody changed, switched off or deleted stays as it is.
 */
export async function shipRules(client: Client, nowUs: number, rules: readonly Rule[] = shippedRules()): Promise<void> {
  await transaction(client, async () => {
    const { rows } = await client.query<{ id: string }>(
      `select s.body->>'id' as id from unnest($1::jsonb[]) as s (body) left join rule r on r.id = s.body->>'id'
       where (r.id is null and not exists (select from rule_version v where v.id = s.body->>'id')) or (r.author = $2 and r.body <> s.body)`,
      [rules.map((rule) => JSON.stringify(rule)), SHIPPER],
    );
    const due = new Set(rows.map((r) => r.id));
    for (const rule of rules) if (due.has(rule.id)) await saveRule(client, rule, SHIPPER, nowUs);
  });
}
