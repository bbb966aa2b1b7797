import type { EpochUs } from "@halvik/core/base/time";
import { Board } from "@halvik/core/board";
import type { Queryable } from "../../kernel/db/pool.js";

export interface KeptBoard {
  readonly id: number;
  readonly board: Board;
  readonly owner: string;
  readonly shared: boolean;
  readonly version: number;
  readonly changedBy: string;
  readonly changedUs: EpochUs;
}

interface BoardRow {
  id: number;
  body: unknown;
  owner: string;
  shared: boolean;
  version: number;
  changed_by: string;
  changed_us: number;
}

/** None: what was kept cannot be read any more, and the others can. */
function keptOf(r: BoardRow): KeptBoard[] {
  const board = Board.safeParse(r.body);
  if (!board.success) return [];
  const { id, owner, shared, version, changed_by: changedBy, changed_us: changedUs } = r;
  return [{ id, board: board.data, owner, shared, version, changedBy, changedUs }];
}

const SELECT = "select id, body, owner, shared, version, changed_by, changed_us from board";

/** A person's own boards, and those that others share. */
export async function boardsFor(db: Queryable, person: string): Promise<KeptBoard[]> {
  const { rows } = await db.query<BoardRow>(
    `${SELECT} where not is_now and (owner = $1 or shared) order by lower(body->>'name'), id`,
    [person],
  );
  return rows.flatMap(keptOf);
}

/** @returns null where there is none, or the person does not see it */
export async function findBoard(db: Queryable, id: number, person: string): Promise<KeptBoard | null> {
  const { rows } = await db.query<BoardRow>(`${SELECT} where id = $1 and not is_now and (owner = $2 or shared)`, [
    id,
    person,
  ]);
  return rows.flatMap(keptOf)[0] ?? null;
}

export async function addBoard(
  db: Queryable,
  board: Board,
  shared: boolean,
  owner: string,
  atUs: EpochUs,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into board (body, owner, shared, changed_by, changed_us) values ($1, $2, $3, $2, $4) returning id",
    [JSON.stringify(board), owner, shared, atUs],
  );
  return rows[0]!.id;
}

/** @returns false when it is not that version any more */
export async function changeBoard(
  db: Queryable,
  id: number,
  version: number,
  board: Board,
  shared: boolean,
  who: string,
  atUs: EpochUs,
): Promise<boolean> {
  const changed = await db.query(
    "update board set body = $3, shared = $4, changed_by = $5, changed_us = $6, version = version + 1 where id = $1 and version = $2",
    [id, version, JSON.stringify(board), shared, who, atUs],
  );
  return changed.rowCount === 1;
}

export async function removeBoard(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from board where id = $1", [id])).rowCount === 1;
}

/** A person's own page of Now; null: it is the one that ships. */
export async function nowBoardOf(db: Queryable, person: string): Promise<Board | null> {
  const { rows } = await db.query<BoardRow>(`${SELECT} where owner = $1 and is_now`, [person]);
  return rows.flatMap(keptOf)[0]?.board ?? null;
}

export const keepNowBoard = (db: Queryable, person: string, board: Board, atUs: EpochUs): Promise<unknown> =>
  db.query(
    `insert into board (body, owner, is_now, changed_by, changed_us) values ($1, $2, true, $2, $3)
     on conflict (owner) where is_now do update set body = excluded.body, changed_us = excluded.changed_us, version = board.version + 1`,
    [JSON.stringify(board), person, atUs],
  );

export const dropNowBoard = (db: Queryable, person: string): Promise<unknown> =>
  db.query("delete from board where owner = $1 and is_now", [person]);
