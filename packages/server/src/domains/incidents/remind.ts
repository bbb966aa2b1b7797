import { formatDuration } from "@halvik/core/base/time";
import type { Rule } from "@halvik/core/detect";
import { ITSELF } from "../../kernel/actor.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { markReminded, needingAttention, remindersDue } from "./repository.js";

/**
 * Says again that an incident lasts, when its rule asks for that, as long as it needs somebody. What has stopped is said again only where
 * nobody but a person can judge it.
 * Goes by the clock: a reminder is for people.
 */
export async function remind(db: Queryable, rules: ReadonlyMap<string, Rule>, nowUs: number): Promise<void> {
  const asking = [...rules.values()].flatMap((r) =>
    r.remindSeconds === null ? [] : [{ rule: r.id, seconds: r.remindSeconds, untilJudged: r.clear.by === "hand" }],
  );
  if (asking.length === 0) return;
  const due = await remindersDue(db, asking, nowUs);
  if (due.length === 0) return;
  const needing = new Set(await needingAttention(db, nowUs));
  const reminded = await markReminded(
    db,
    due.filter((id) => needing.has(id)),
    nowUs,
  );
  for (const { id, firstUs, count } of reminded)
    await addEvent(
      db,
      id,
      nowUs,
      ITSELF,
      "still-lasts",
      `${count} records, since ${formatDuration(nowUs - firstUs)} ago`,
    );
}
