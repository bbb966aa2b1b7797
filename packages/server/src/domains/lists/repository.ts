import { ENTRIES_MOST, type ListKind, type NamedList, NamedLists } from "@halvik/core/model/lists";
import type { Queryable } from "../../kernel/db/pool.js";

export interface ListRow {
  readonly id: number;
  readonly name: string;
  readonly kind: ListKind;
  readonly about: string;
  readonly author: string;
  readonly changed_us: number;
  readonly entries: number;
  readonly expired: number;
  readonly next_expiry_us: number | null;
}

/** The lists, with how many entries of each hold at a moment. */
export async function listLists(db: Queryable, nowUs: number): Promise<ListRow[]> {
  const { rows } = await db.query<ListRow>(
    `select l.*, coalesce(e.entries, 0)::int as entries, coalesce(e.expired, 0)::int as expired, e.next_expiry_us
     from list l left join (
       select list, count(*) filter (where expires_us is null or expires_us > $1) as entries, count(*) filter (where expires_us <= $1) as expired,
         min(expires_us) filter (where expires_us > $1) as next_expiry_us from list_entry group by list) e on e.list = l.id
     order by lower(l.name)`,
    [nowUs],
  );
  return rows;
}

/** What lists hold at a moment, for filters. */
export async function namedLists(db: Queryable, nowUs: number): Promise<NamedLists> {
  const { rows } = await db.query<NamedList>(
    `select l.name, l.kind, coalesce(array_agg(e.value order by e.id) filter (where e.id is not null), '{}') as values
     from list l left join list_entry e on e.list = l.id and (e.expires_us is null or e.expires_us > $1) group by l.id order by l.id`,
    [nowUs],
  );
  return new NamedLists(rows);
}

/** @returns its number; null: there is one of that name */
export async function insertList(
  db: Queryable,
  list: { readonly name: string; readonly kind: ListKind; readonly about: string },
  author: string,
  nowUs: number,
): Promise<number | null> {
  const { rows } = await db.query<{ id: number }>(
    "insert into list (name, kind, about, author, changed_us) values ($1, $2, $3, $4, $5) on conflict do nothing returning id",
    [list.name, list.kind, list.about, author, nowUs],
  );
  return rows[0]?.id ?? null;
}

export async function changeList(
  db: Queryable,
  id: number,
  list: { readonly name: string; readonly about: string },
  author: string,
  nowUs: number,
): Promise<void> {
  await db.query("update list set name = $2, about = $3, author = $4, changed_us = $5 where id = $1", [
    id,
    list.name,
    list.about,
    author,
    nowUs,
  ]);
}

export async function deleteList(db: Queryable, id: number): Promise<void> {
  await db.query("delete from list where id = $1", [id]);
}

export interface EntryRow {
  readonly id: number;
  readonly value: string;
  readonly note: string;
  readonly source: string;
  readonly expires_us: number | null;
  readonly author: string;
  readonly added_us: number;
}

/** Entries whose value or note holds a text, the newest first. @returns some of them, and how many there are */
export async function listEntries(
  db: Queryable,
  id: number,
  text: string,
  most: number,
): Promise<{ readonly rows: readonly EntryRow[]; readonly all: number }> {
  const like = `%${text.replace(/[\\%_]/g, "\\$&")}%`;
  const { rows } = await db.query<EntryRow & { all: number }>(
    `select *, count(*) over ()::int as all from list_entry where list = $1 and (value ilike $2 or note ilike $2 or source ilike $2) order by id desc limit $3`,
    [id, like, most],
  );
  return { rows, all: rows[0]?.all ?? 0 };
}

/** A value as it is added. */
export interface NewEntry {
  readonly value: string;
  readonly note: string;
  readonly source: string;
  readonly expiresUs: number | null;
}

/** How many more entries a list may take. */
export async function roomIn(db: Queryable, id: number): Promise<number> {
  // whoever else adds to it waits
  await db.query("select 1 from list where id = $1 for update", [id]);
  const { rows } = await db.query<{ n: number }>("select count(*)::int as n from list_entry where list = $1", [id]);
  return ENTRIES_MOST - rows[0]!.n;
}

/** Adds values; one that stands in it is renewed. @param entries each value once, in any case @returns how many were new */
export async function addEntries(
  db: Queryable,
  id: number,
  entries: readonly NewEntry[],
  author: string,
  nowUs: number,
): Promise<number> {
  if (entries.length === 0) return 0;
  const { rows } = await db.query<{ is_new: boolean }>(
    `insert into list_entry (list, value, note, source, expires_us, author, added_us)
     select $1, v, n, s, x, $6, $7 from unnest($2::text[], $3::text[], $4::text[], $5::bigint[]) t(v, n, s, x)
     on conflict (list, lower(value)) do update set note = excluded.note, source = excluded.source, expires_us = excluded.expires_us, author = excluded.author, added_us = excluded.added_us
     returning (xmax = 0) as is_new`,
    [
      id,
      entries.map((e) => e.value),
      entries.map((e) => e.note),
      entries.map((e) => e.source),
      entries.map((e) => e.expiresUs),
      author,
      nowUs,
    ],
  );
  return rows.filter((r) => r.is_new).length;
}

/** Which of some values stand in a list, in any case. */
export async function known(db: Queryable, id: number, values: readonly string[]): Promise<ReadonlySet<string>> {
  const { rows } = await db.query<{ value: string }>(
    "select lower(value) as value from list_entry where list = $1 and lower(value) = any($2::text[])",
    [id, values.map((v) => v.toLowerCase())],
  );
  return new Set(rows.map((r) => r.value));
}

/** @returns false when there is none */
export async function deleteEntry(db: Queryable, list: number, id: number): Promise<boolean> {
  return (await db.query("delete from list_entry where list = $1 and id = $2", [list, id])).rowCount === 1;
}

/** The texts of filters that are kept, with what they are of. */
export async function keptFilters(db: Queryable): Promise<
  readonly {
    readonly what: "rule" | "saved filter" | "rule of arrival";
    readonly id: string;
    readonly name: string;
    readonly text: string;
  }[]
> {
  const { rows } = await db.query<{
    what: "rule" | "saved filter" | "rule of arrival";
    id: string;
    name: string;
    text: string;
  }>(
    `select 'rule' as what, id, coalesce(body->>'name', id) as name, body::text as text from rule
     union all select 'saved filter', id::text, name, text from saved_filter
     union all select 'rule of arrival', id::text, body->>'name', body->>'filter' from arrival_rule`,
  );
  return rows;
}
