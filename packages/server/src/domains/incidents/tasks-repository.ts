import type { Queryable } from "../../kernel/db/pool.js";

export interface TaskRow {
  id: number;
  incident: number;
  text: string;
  made_by: string;
  done_by: string | null;
  done_us: number | null;
}

export async function tasksOf(db: Queryable, incidents: readonly number[]): Promise<TaskRow[]> {
  const { rows } = await db.query<TaskRow>(
    "select id, incident, text, made_by, done_by, done_us from incident_task where incident = any($1::int[]) order by id",
    [incidents],
  );
  return rows;
}

export async function addTask(
  db: Queryable,
  incident: number,
  text: string,
  who: string,
  nowUs: number,
): Promise<void> {
  await db.query("insert into incident_task (incident, text, made_by, made_us) values ($1, $2, $3, $4)", [
    incident,
    text,
    who,
    nowUs,
  ]);
}

/** @returns the task's text; null when there is none, or it is in that state already */
export async function markTask(
  db: Queryable,
  incident: number,
  id: number,
  done: boolean,
  who: string,
  nowUs: number,
): Promise<string | null> {
  const { rows } = await db.query<{ text: string }>(
    "update incident_task set done_by = $4, done_us = $5 where id = $1 and incident = $2 and (done_us is not null) <> $3 returning text",
    [id, incident, done, done ? who : null, done ? nowUs : null],
  );
  return rows[0]?.text ?? null;
}
