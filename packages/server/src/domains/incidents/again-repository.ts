import type { CloseReason } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";

/** Incidents before one with findings of the same rule and key. */
export interface Before {
  readonly times: number;
  readonly sinceUs: number;
  /** How many of them ended in which way. */
  readonly ended: readonly { readonly how: CloseReason | "cleared" | "stopped" | "open"; readonly times: number }[];
}

/** How often the trouble of an incident was there before; null: never. */
export async function timesBefore(db: Queryable, ruleId: string, key: string, id: number): Promise<Before | null> {
  const { rows } = await db.query<{ how: Before["ended"][number]["how"]; times: number; since_us: number }>(
    `select case when i.state = 'closed' then i.close_reason when i.state = 'cleared' and i.stopped then 'stopped' else i.state end as how,
       count(*)::int as times, min(i.first_us) as since_us
     from incident i where i.merged_into is null and i.id < $3
       and i.id in (select f.incident from finding f where f.rule_id = $1 and key_hash(f.key) = key_hash($2)) group by 1 order by 2 desc`,
    [ruleId, key, id],
  );
  if (rows.length === 0) return null;
  return {
    times: rows.reduce((sum, r) => sum + r.times, 0),
    sinceUs: Math.min(...rows.map((r) => r.since_us)),
    ended: rows.map(({ how, times }) => ({ how, times })),
  };
}
