import { CATEGORIES, type Category } from "@halvik/core/model/record";
import type { Queryable } from "../../kernel/db/pool.js";

/** The shape that one has become part of, or itself; null: there is no such shape. */
export async function standingOf(db: Queryable, id: number): Promise<number | null> {
  const { rows } = await db.query<{ id: number }>("select coalesce(into_shape, id) as id from shape where id = $1", [
    id,
  ]);
  return rows[0]?.id ?? null;
}

/** What people call a shape. */
export async function nameShape(
  db: Queryable,
  id: number,
  { name, meaning, category }: { readonly name: string; readonly meaning: string; readonly category: Category | null },
  who: string,
  nowUs: number,
): Promise<void> {
  await db.query(
    "update shape set name = $2, meaning = $3, category = $4, named_by = $5, named_us = $6 where id = $1",
    [id, name, meaning, category === null ? null : CATEGORIES.indexOf(category), who, nowUs],
  );
}
