import type { EpochUs } from "@halvik/core/base/time";
import { Entry } from "@halvik/core/papers";
import type { Queryable } from "../../kernel/db/pool.js";

export interface KeptEntry {
  readonly id: number;
  readonly entry: Entry;
  readonly author: string;
  readonly createdUs: EpochUs;
  readonly changedUs: EpochUs;
  readonly changedBy: string;
  readonly version: number;
}

interface EntryRow {
  id: number;
  body: unknown;
  author: string;
  created_us: number;
  changed_us: number;
  changed_by: string;
  version: number;
}

const SELECT = "select id, body, author, created_us, changed_us, changed_by, version from paper_entry";
const kept = (r: EntryRow): KeptEntry => ({
  id: r.id,
  entry: Entry.parse(r.body),
  author: r.author,
  createdUs: r.created_us,
  changedUs: r.changed_us,
  changedBy: r.changed_by,
  version: r.version,
});

/** What people wrote in a paper, in the order in which it was begun. */
export async function entriesOf(db: Queryable, paper: number): Promise<KeptEntry[]> {
  const { rows } = await db.query<EntryRow>(`${SELECT} where paper = $1 order by id`, [paper]);
  return rows.map(kept);
}

export async function findEntry(db: Queryable, paper: number, id: number): Promise<KeptEntry | null> {
  const { rows } = await db.query<EntryRow>(`${SELECT} where paper = $1 and id = $2`, [paper, id]);
  return rows[0] === undefined ? null : kept(rows[0]);
}

export async function addEntry(
  db: Queryable,
  paper: number,
  entry: Entry,
  who: string,
  atUs: EpochUs,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into paper_entry (paper, body, author, created_us, changed_us, changed_by) values ($1, $2, $3, $4, $4, $3) returning id",
    [paper, JSON.stringify(entry), who, atUs],
  );
  return rows[0]!.id;
}

export async function countEntries(db: Queryable, paper: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>("select count(*)::int as n from paper_entry where paper = $1", [
    paper,
  ]);
  return rows[0]!.n;
}

/** @returns false when it is not that version any more, or gone */
export async function changeEntry(
  db: Queryable,
  paper: number,
  id: number,
  version: number,
  entry: Entry,
  who: string,
  atUs: EpochUs,
): Promise<boolean> {
  const changed = await db.query(
    `update paper_entry set body = $4, changed_by = $5, changed_us = $6, version = version + 1
     where paper = $1 and id = $2 and version = $3 and body->>'is' = $4::jsonb->>'is'`,
    [paper, id, version, JSON.stringify(entry), who, atUs],
  );
  return changed.rowCount === 1;
}

export async function removeEntry(db: Queryable, paper: number, id: number): Promise<boolean> {
  return (await db.query("delete from paper_entry where paper = $1 and id = $2", [paper, id])).rowCount === 1;
}
