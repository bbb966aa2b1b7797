import { type EpochUs, US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { Wall } from "@halvik/core/board";
import type { Actor } from "../../kernel/actor.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { hashToken } from "../people/passwords.js";
import { mayRead } from "../people/tokens-repository.js";

export interface KeptWall {
  readonly id: number;
  readonly wall: Wall;
  readonly author: string;
  readonly createdUs: EpochUs;
  readonly expiresUs: EpochUs | null;
  readonly lastUsedUs: EpochUs | null;
}

interface WallRow {
  id: number;
  body: unknown;
  author: string;
  created_us: number;
  expires_us: number | null;
  last_used_us: number | null;
}

const SELECT = "select id, body, author, created_us, expires_us, last_used_us from wall";
const keptOf = (r: WallRow): KeptWall => ({
  id: r.id,
  wall: Wall.parse(r.body),
  author: r.author,
  createdUs: r.created_us,
  expiresUs: r.expires_us,
  lastUsedUs: r.last_used_us,
});

/** Walls that still show something. */
export async function listWalls(db: Queryable, nowUs: EpochUs): Promise<KeptWall[]> {
  const { rows } = await db.query<WallRow>(
    `${SELECT} where not revoked and (expires_us is null or expires_us > $1) order by id`,
    [nowUs],
  );
  return rows.map(keptOf);
}

/** @param hash of the token that its screen shows */
export async function addWall(db: Queryable, wall: Wall, hash: string, author: string, atUs: EpochUs): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into wall (body, hash, author, created_us, expires_us) values ($1, $2, $3, $4, $5) returning id",
    [JSON.stringify(wall), hash, author, atUs, wall.days === null ? null : atUs + wall.days * US_PER_DAY],
  );
  return rows[0]!.id;
}

/** @returns false when there is none that still shows something */
export async function revokeWall(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("update wall set revoked = true where id = $1 and not revoked", [id])).rowCount === 1;
}

/**
 * Who a wall's token stands for: whoever made it, and never more than its boards. Null: it was taken back or has run out, or whoever made it may
 * not read any more.
 */
export async function actorOfWall(db: Queryable, token: string, nowUs: EpochUs): Promise<Actor | null> {
  const { rows } = await db.query<WallRow>(
    `${SELECT} where hash = $1 and not revoked and (expires_us is null or expires_us > $2)`,
    [hashToken(token), nowUs],
  );
  if (rows[0] === undefined) return null;
  const kept = keptOf(rows[0]);
  if (!(await mayRead(db, kept.author, nowUs))) return null;
  if (nowUs - (kept.lastUsedUs ?? 0) > US_PER_MINUTE)
    await db.query("update wall set last_used_us = $2 where id = $1", [kept.id, nowUs]);
  return { name: kept.author, may: "read", wall: { id: kept.id, ...kept.wall } };
}
