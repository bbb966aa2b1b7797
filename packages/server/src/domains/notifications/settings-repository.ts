import { Channel, Rota } from "@halvik/core/respond/notify";
import type { Queryable } from "../../kernel/db/pool.js";

/** Something people set up by a form: a channel, a rota. */
export interface Kept<T> {
  readonly id: number;
  readonly author: string;
  readonly changedUs: number;
  readonly body: T;
}

interface Row {
  readonly id: number;
  readonly body: unknown;
  readonly author: string;
  readonly changed_us: number;
}

const keptOf = <T>(rows: readonly Row[], read: (body: unknown) => T): Kept<T>[] =>
  rows.map((r) => ({ id: r.id, author: r.author, changedUs: r.changed_us, body: read(r.body) }));

export async function listRotas(db: Queryable): Promise<Kept<Rota>[]> {
  const { rows } = await db.query<Row>("select id, body, author, changed_us from rota order by id");
  return keptOf(rows, (b) => Rota.parse(b));
}

/** Makes a rota, or changes one. @returns its number; null: there is none of that number */
export async function saveRota(
  db: Queryable,
  id: number | null,
  rota: Rota,
  author: string,
  nowUs: number,
): Promise<number | null> {
  const { rows } =
    id === null
      ? await db.query<{ id: number }>("insert into rota (body, author, changed_us) values ($1, $2, $3) returning id", [
          JSON.stringify(rota),
          author,
          nowUs,
        ])
      : await db.query<{ id: number }>(
          "update rota set body = $2, author = $3, changed_us = $4 where id = $1 returning id",
          [id, JSON.stringify(rota), author, nowUs],
        );
  return rows[0]?.id ?? null;
}

/** @returns false when there is none */
export async function deleteRota(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from rota where id = $1", [id])).rowCount === 1;
}

/** Channels, without their secrets. */
export async function listChannels(db: Queryable): Promise<Kept<Channel>[]> {
  const { rows } = await db.query<Row>("select id, body, author, changed_us from notify_channel order by id");
  return keptOf(rows, (b) => Channel.parse(b));
}

/** The secrets that messages are signed with, by channel: for whoever sends alone. */
export async function channelSecrets(db: Queryable): Promise<ReadonlyMap<number, string>> {
  const { rows } = await db.query<{ id: number; secret: string }>("select id, secret from notify_channel");
  return new Map(rows.map((r) => [r.id, r.secret]));
}

/** Makes a channel, or changes one. @param secret null: it stays as it is @returns its number; null: there is none of that number */
export async function saveChannel(
  db: Queryable,
  id: number | null,
  channel: Channel,
  secret: string | null,
  author: string,
  nowUs: number,
): Promise<number | null> {
  if (id === null) {
    const { rows } = await db.query<{ id: number }>(
      "insert into notify_channel (body, secret, author, changed_us) values ($1, $2, $3, $4) returning id",
      [JSON.stringify(channel), secret ?? "", author, nowUs],
    );
    return rows[0]!.id;
  }
  const changed = await db.query("update notify_channel set body = $2, author = $3, changed_us = $4 where id = $1", [
    id,
    JSON.stringify(channel),
    author,
    nowUs,
  ]);
  if (secret !== null) await db.query("update notify_channel set secret = $2 where id = $1", [id, secret]);
  return changed.rowCount === 1 ? id : null;
}

/** @returns false when there is none */
export async function deleteChannel(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from notify_channel where id = $1", [id])).rowCount === 1;
}
