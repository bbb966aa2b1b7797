import type { Queryable } from "../../../kernel/db/pool.js";

export interface SavedFilter {
  readonly id: number;
  readonly name: string;
  readonly text: string;
  readonly owner: string;
  readonly shared: boolean;
  readonly changedUs: number;
}

const SELECT = "select id, name, text, owner, shared, changed_us from saved_filter";

interface Row {
  id: number;
  name: string;
  text: string;
  owner: string;
  shared: boolean;
  changed_us: number;
}
const toSaved = ({ changed_us, ...r }: Row): SavedFilter => ({ ...r, changedUs: changed_us });

/** Filters a person may use: their own, and what others share. */
export async function savedFiltersFor(db: Queryable, person: string): Promise<SavedFilter[]> {
  const { rows } = await db.query<Row>(`${SELECT} where owner = $1 or shared order by lower(name collate "C")`, [
    person,
  ]);
  return rows.map(toSaved);
}

export async function allSavedFilters(db: Queryable): Promise<SavedFilter[]> {
  return (await db.query<Row>(SELECT)).rows.map(toSaved);
}

/** Keeps a filter under a name. @returns null when the name is taken */
export async function saveFilter(
  db: Queryable,
  f: Omit<SavedFilter, "id" | "changedUs">,
  nowUs: number,
): Promise<SavedFilter | null> {
  const { rows } = await db.query<Row>(
    `insert into saved_filter (name, text, owner, shared, changed_us) values ($1, $2, $3, $4, $5)
     on conflict do nothing returning id, name, text, owner, shared, changed_us`,
    [f.name, f.text, f.owner, f.shared, nowUs],
  );
  return rows[0] ? toSaved(rows[0]) : null;
}

/** Changes one of a person's own. @returns null when there is none, or the new name is taken */
export async function changeSavedFilter(
  db: Queryable,
  id: number,
  owner: string,
  f: { readonly name: string; readonly text: string; readonly shared: boolean },
  nowUs: number,
): Promise<SavedFilter | null> {
  const { rows } = await db.query<Row>(
    `update saved_filter s set name = $3, text = $4, shared = $5, changed_us = $6 where id = $1 and owner = $2
       and not exists (select from saved_filter o where o.id <> $1 and lower(o.name collate "C") = lower($3 collate "C"))
     returning id, name, text, owner, shared, changed_us`,
    [id, owner, f.name, f.text, f.shared, nowUs],
  );
  return rows[0] ? toSaved(rows[0]) : null;
}

export async function forgetSavedFilter(db: Queryable, id: number): Promise<void> {
  await db.query("delete from saved_filter where id = $1", [id]);
}
