import type { Queryable } from "../../kernel/db/pool.js";

export async function moduleSources(db: Queryable): Promise<string[]> {
  const { rows } = await db.query<{ source: string }>("select source from mib_module order by name");
  return rows.map((r) => r.source);
}

export async function uploadedModules(db: Queryable): Promise<{ name: string; addedBy: string }[]> {
  const { rows } = await db.query<{ name: string; added_by: string }>(
    "select name, added_by from mib_module order by name",
  );
  return rows.map((r) => ({ name: r.name, addedBy: r.added_by }));
}

export async function countModules(db: Queryable): Promise<number> {
  return (await db.query<{ n: number }>("select count(*)::int as n from mib_module")).rows[0]!.n;
}

export async function saveModule(
  db: Queryable,
  name: string,
  source: string,
  who: string,
  nowUs: number,
): Promise<void> {
  await db.query(
    "insert into mib_module (name, source, added_by, added_us) values ($1, $2, $3, $4) on conflict (name) do update set source = excluded.source, added_by = excluded.added_by, added_us = excluded.added_us",
    [name, source, who, nowUs],
  );
}

/** @returns whether there was one */
export async function removeModule(db: Queryable, name: string): Promise<boolean> {
  const { rowCount } = await db.query("delete from mib_module where name = $1", [name]);
  return rowCount !== 0;
}
