import type { Queryable } from "../../kernel/db/pool.js";

/** What the findings of an incident are about and suspect, as codes. */
export async function mainsOf(
  db: Queryable,
  incident: number,
): Promise<readonly { readonly rule: string; readonly key: string; readonly suspects: readonly string[] }[]> {
  const { rows } = await db.query<{ rule: string; key: string; suspects: string[] }>(
    "select rule_id as rule, key, suspects from finding where incident = $1 and merged_into is null order by first_us limit 200",
    [incident],
  );
  return rows;
}
