import type { Rule } from "@halvik/core/correlation";
import { formatDuration } from "@halvik/core/time";
import type { Queryable } from "../store/pool.js";
import { addEvent, ENGINE } from "./findings.js";

/**
 * Says again that an incident lasts, when its rule asks for that, as long as nobody has said they saw it and it is not shelved.
 * Goes by the clock: a reminder is for people.
 */
export async function remind(db: Queryable, rules: ReadonlyMap<string, Rule>, nowUs: number): Promise<void> {
  const asking = [...rules.values()].flatMap((r) =>
    r.remindSeconds === null ? [] : [[r.id, r.remindSeconds] as const],
  );
  if (asking.length === 0) return;
  const { rows } = await db.query<{ id: number; first_us: number; count: number }>(
    `update incident i set reminded_us = $3 from unnest($1::text[], $2::bigint[]) a (rule_id, seconds)
     where i.rule_id = a.rule_id and i.state = 'open' and i.merged_into is null and i.acknowledged_us is null
       and coalesce(i.shelved_until_us, 0) < $3
       and $3 - coalesce(i.reminded_us, (select max(at_us) from incident_event e where e.incident = i.id and e.what in ('raised', 'returned')), $3) >= a.seconds * 1000000
     returning i.id, i.first_us, i.count`,
    [asking.map(([id]) => id), asking.map(([, s]) => s), nowUs],
  );
  for (const { id, first_us, count } of rows)
    await addEvent(
      db,
      id,
      nowUs,
      ENGINE,
      "still lasts",
      `${count} records, since ${formatDuration(nowUs - first_us)} ago`,
    );
}
