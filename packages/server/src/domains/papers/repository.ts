import type { EpochUs } from "@halvik/core/base/time";
import { PaperFacts, type PaperRight, type PaperState } from "@halvik/core/papers";
import type { Queryable } from "../../kernel/db/pool.js";

/** A paper as one person sees it. */
export interface KeptPaper {
  readonly id: number;
  readonly facts: PaperFacts;
  readonly owner: string;
  readonly may: PaperRight;
  readonly version: number;
  readonly createdUs: EpochUs;
  readonly changedUs: EpochUs;
  readonly changedBy: string;
  readonly closedUs: EpochUs | null;
}

interface PaperRow {
  id: number;
  facts: unknown;
  owner: string;
  may: PaperRight | null;
  version: number;
  created_us: number;
  changed_us: number;
  changed_by: string;
  closed_us: number | null;
}

/** SQL: what `$1` may do with paper p; null: not even know of it. */
const MAY = `case when p.owner = $1 then 'write'
  else coalesce((select m.may from paper_person m where m.paper = p.id and m.person = $1), case when p.shared then 'read' end) end`;

/** @returns null where there is none, or the person may not read it */
export async function findPaper(db: Queryable, id: number, person: string): Promise<KeptPaper | null> {
  const { rows } = await db.query<PaperRow>(
    `select id, facts, owner, ${MAY} as may, version, created_us, changed_us, changed_by, closed_us from paper p where id = $2`,
    [person, id],
  );
  const row = rows[0];
  if (row === undefined || row.may === null) return null;
  return {
    id: row.id,
    facts: PaperFacts.parse(row.facts),
    owner: row.owner,
    may: row.may,
    version: row.version,
    createdUs: row.created_us,
    changedUs: row.changed_us,
    changedBy: row.changed_by,
    closedUs: row.closed_us,
  };
}

/** A paper in a list. */
export interface PaperLineRow {
  readonly id: number;
  readonly name: string;
  readonly question: string;
  readonly conclusion: string;
  readonly state: PaperState;
  readonly owner: string;
  readonly pins: number;
  readonly open: number;
  readonly may: PaperRight;
  readonly changed_us: EpochUs;
  readonly changed_by: string;
  readonly closed_us: EpochUs | null;
}

/** Papers a person may read: those of theirs that go on first, then by when they were changed. @param text stands in what people wrote; empty: any */
export async function papersFor(
  db: Queryable,
  person: string,
  text: string,
  state: PaperState | null,
  most: number,
): Promise<PaperLineRow[]> {
  const { rows } = await db.query<PaperLineRow>(
    `select p.id, p.name, left(p.facts->>'question', 300) as question, left(p.facts->>'conclusion', 300) as conclusion, p.state, p.owner, v.may,
       p.changed_us, p.changed_by, p.closed_us,
       (select count(*)::int from paper_pin n where n.paper = p.id) as pins,
       (select count(*)::int from paper_entry e where e.paper = p.id and (
          (e.body->>'is' = 'task' and e.body->>'isDone' = 'false') or (e.body->>'is' = 'question' and e.body->>'answer' = '')
          or (e.body->>'is' = 'hypothesis' and e.body->>'state' = 'open'))) as open
     from paper p cross join lateral (select ${MAY} as may) v
     where v.may is not null and ($3::text is null or p.state = $3)
       and ($2 = '' or strpos(lower(concat_ws(' ', p.name, p.facts->>'question', p.facts->>'conclusion')), lower($2)) > 0
         or exists (select from paper_entry e where e.paper = p.id and strpos(lower(e.body->>'text'), lower($2)) > 0)
         or exists (select from paper_pin n where n.paper = p.id and strpos(lower(n.reason), lower($2)) > 0))
     order by p.state = 'closed', p.changed_us desc, p.id desc limit $4`,
    [person, text, state, most],
  );
  return rows;
}

export async function addPaper(db: Queryable, facts: PaperFacts, owner: string, atUs: EpochUs): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    `insert into paper (name, facts, owner, state, shared, created_us, changed_us, changed_by, closed_us)
     values ($1, $2, $3, $4, $5, $6, $6, $3, $7) returning id`,
    [facts.name, JSON.stringify(facts), owner, facts.state, facts.shared, atUs, facts.state === "closed" ? atUs : null],
  );
  const { id } = rows[0]!;
  await keepPeople(db, id, facts);
  return id;
}

export async function countPapers(db: Queryable): Promise<number> {
  const { rows } = await db.query<{ n: number }>("select count(*)::int as n from paper");
  return rows[0]!.n;
}

/** @returns false when it is not that version any more */
export async function changePaper(
  db: Queryable,
  id: number,
  version: number,
  facts: PaperFacts,
  who: string,
  atUs: EpochUs,
): Promise<boolean> {
  const changed = await db.query(
    `update paper set name = $3, facts = $4, state = $5, shared = $6, changed_by = $7, changed_us = $8, version = version + 1,
       closed_us = case when $5 = 'closed' then coalesce(closed_us, $8) end
     where id = $1 and version = $2`,
    [id, version, facts.name, JSON.stringify(facts), facts.state, facts.shared, who, atUs],
  );
  if (changed.rowCount !== 1) return false;
  await keepPeople(db, id, facts);
  return true;
}

/** Who may do what stands where it is asked for, too. */
async function keepPeople(db: Queryable, paper: number, { people }: PaperFacts): Promise<void> {
  await db.query("delete from paper_person where paper = $1", [paper]);
  await db.query("insert into paper_person (paper, person, may) select $1, * from unnest($2::text[], $3::text[])", [
    paper,
    people.map((p) => p.name),
    people.map((p) => p.may),
  ]);
}

/** A paper as whoever runs Halvik sees it: not what it says. */
export interface OwnedPaper {
  readonly id: number;
  readonly name: string;
  readonly owner: string;
  readonly state: PaperState;
  /** Whether its owner has an account that may sign in, or is a token that is worth something. */
  readonly isOwned: boolean;
}

export async function ownedPapers(db: Queryable, nowUs: EpochUs): Promise<OwnedPaper[]> {
  const { rows } = await db.query<OwnedPaper>(
    `select p.id, p.name, p.owner, p.state,
       exists (select from person where name = p.owner and not disabled)
       or exists (select from token where 'token ' || name = p.owner and not revoked and (expires_us is null or expires_us > $1)) as "isOwned"
     from paper p order by p.id`,
    [nowUs],
  );
  return rows;
}

/** Somebody else is its owner from now on; what they might do before follows from that. @returns false when there is no such paper */
export async function givePaper(db: Queryable, id: number, to: string): Promise<boolean> {
  const given = await db.query(
    `update paper set owner = $2, version = version + 1,
       facts = jsonb_set(facts, '{people}', coalesce((select jsonb_agg(p) from jsonb_array_elements(facts->'people') p where p->>'name' <> $2), '[]'))
     where id = $1`,
    [id, to],
  );
  await db.query("delete from paper_person where paper = $1 and person = $2", [id, to]);
  return given.rowCount === 1;
}

export const removePaper = (db: Queryable, id: number): Promise<unknown> =>
  db.query("delete from paper where id = $1", [id]);

/** Something of it was changed: lists show the latest first. */
export const touchPaper = (db: Queryable, id: number, who: string, atUs: EpochUs): Promise<unknown> =>
  db.query("update paper set changed_us = $2, changed_by = $3 where id = $1", [id, atUs, who]);

/** A closed paper that has something in common with another. */
export interface EarlierRow {
  readonly id: number;
  readonly name: string;
  readonly conclusion: string;
  readonly closed_us: EpochUs;
  readonly shares: readonly string[];
}

/** Closed papers a person may read that hold some of these things, those with most of them first. */
export async function earlierPapers(
  db: Queryable,
  person: string,
  paper: number,
  things: readonly string[],
  most: number,
): Promise<EarlierRow[]> {
  if (things.length === 0) return [];
  const { rows } = await db.query<EarlierRow>(
    `select p.id, p.name, left(p.facts->>'conclusion', 300) as conclusion, p.closed_us, s.shares
     from paper p cross join lateral (
       select array_agg(distinct t order by t) as shares from paper_pin n, unnest(n.things) t where n.paper = p.id and n.things && $3 and t = any($3)) s
     where p.state = 'closed' and p.id <> $2 and s.shares is not null and ${MAY} is not null
     order by cardinality(s.shares) desc, p.closed_us desc limit $4`,
    [person, paper, things, most],
  );
  return rows;
}
