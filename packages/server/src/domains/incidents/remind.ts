import { formatDuration } from "@halvik/core/base/time";
import type { Rule } from "@halvik/core/detect";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { ENGINE } from "./findings.js";
import { needingAttention } from "./repository.js";

/**
 * Says again that an incident lasts, when its rule asks for that, as long as it needs somebody.
 * Goes by the clock: a reminder is for people.
 */
export async function remind(db: Queryable, rules: ReadonlyMap<string, Rule>, nowUs: number): Promise<void> {
  const asking = [...rules.values()].flatMap((r) =>
    r.remindSeconds === null ? [] : [[r.id, r.remindSeconds] as const],
  );
  if (asking.length === 0) return;
  const due = await db.query<{ id: number }>(
    `select i.id from incident i join unnest($1::text[], $2::bigint[]) a (rule_id, seconds) on i.rule_id = a.rule_id
     where i.state = 'open' and $3 - coalesce(i.reminded_us, (select max(at_us) from incident_event e where e.incident = i.id and e.what in ('raised', 'returned')), $3) >= a.seconds * 1000000`,
    [asking.map(([id]) => id), asking.map(([, s]) => s), nowUs],
  );
  if (due.rows.length === 0) return;
  const needing = new Set(await needingAttention(db, nowUs));
  const { rows } = await db.query<{ id: number; first_us: number; count: number }>(
    "update incident set reminded_us = $2 where id = any($1::int[]) returning id, first_us, count",
    [due.rows.map((r) => r.id).filter((id) => needing.has(id)), nowUs],
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
