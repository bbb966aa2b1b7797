import type { EpochUs } from "@halvik/core/base/time";
import { QuestionSet } from "@halvik/core/papers";
import type { Queryable } from "../../kernel/db/pool.js";

export interface KeptQuestionSet {
  readonly id: number;
  readonly set: QuestionSet;
  readonly owner: string;
  readonly shared: boolean;
  readonly version: number;
}

interface SetRow {
  id: number;
  body: unknown;
  owner: string;
  shared: boolean;
  version: number;
}

/** A person's own sets of questions, and those that others share; one that cannot be read any more is left out. */
export async function questionSetsFor(db: Queryable, person: string): Promise<KeptQuestionSet[]> {
  const { rows } = await db.query<SetRow>(
    "select id, body, owner, shared, version from question_set where owner = $1 or shared order by lower(body->>'name'), id",
    [person],
  );
  return rows.flatMap(({ body, ...row }) => {
    const set = QuestionSet.safeParse(body);
    return set.success ? [{ ...row, set: set.data }] : [];
  });
}

export const addQuestionSet = (
  db: Queryable,
  set: QuestionSet,
  shared: boolean,
  owner: string,
  atUs: EpochUs,
): Promise<unknown> =>
  db.query("insert into question_set (body, owner, shared, changed_us, changed_by) values ($1, $2, $3, $4, $2)", [
    JSON.stringify(set),
    owner,
    shared,
    atUs,
  ]);

/** @returns false when it is not that version any more */
export async function changeQuestionSet(
  db: Queryable,
  id: number,
  version: number,
  set: QuestionSet,
  shared: boolean,
  who: string,
  atUs: EpochUs,
): Promise<boolean> {
  const changed = await db.query(
    "update question_set set body = $3, shared = $4, changed_us = $5, changed_by = $6, version = version + 1 where id = $1 and version = $2",
    [id, version, JSON.stringify(set), shared, atUs, who],
  );
  return changed.rowCount === 1;
}

export const removeQuestionSet = (db: Queryable, id: number): Promise<unknown> =>
  db.query("delete from question_set where id = $1", [id]);
