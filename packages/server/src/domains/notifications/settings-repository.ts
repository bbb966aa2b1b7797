import { Channel, NotifyTexts, Rota } from "@halvik/core/respond/notify";
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
export const saveRota = (
  db: Queryable,
  id: number | null,
  rota: Rota,
  author: string,
  nowUs: number,
): Promise<number | null> => save(db, "rota", id, rota, author, nowUs);

async function save(
  db: Queryable,
  table: "rota" | "notify_text" | "notify_channel",
  id: number | null,
  body: object,
  author: string,
  nowUs: number,
): Promise<number | null> {
  const values = [JSON.stringify(body), author, nowUs];
  const { rows } =
    id === null
      ? await db.query<{ id: number }>(
          `insert into ${table} (body, author, changed_us) values ($1, $2, $3) returning id`,
          values,
        )
      : await db.query<{ id: number }>(
          `update ${table} set body = $1, author = $2, changed_us = $3 where id = $4 returning id`,
          [...values, id],
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

/** What a channel proves itself by, and what it encrypts with. */
export interface ChannelSecrets {
  readonly secret: string;
  readonly privacySecret: string;
}

/** The secrets of channels: for whoever sends alone. */
export async function channelSecrets(db: Queryable): Promise<ReadonlyMap<number, ChannelSecrets>> {
  const { rows } = await db.query<ChannelSecrets & { id: number }>(
    `select id, secret, privacy_secret as "privacySecret" from notify_channel`,
  );
  return new Map(rows.map((r) => [r.id, r]));
}

/** Texts of one's own that messages are written by. */
export async function listTexts(db: Queryable): Promise<Kept<NotifyTexts>[]> {
  const { rows } = await db.query<Row>("select id, body, author, changed_us from notify_text order by id");
  return keptOf(rows, (b) => NotifyTexts.parse(b));
}

/** Makes texts, or changes them. @returns their number; null: there are none of that number */
export const saveTexts = (
  db: Queryable,
  id: number | null,
  texts: NotifyTexts,
  author: string,
  nowUs: number,
): Promise<number | null> => save(db, "notify_text", id, texts, author, nowUs);

/** @returns false when there are none */
export async function deleteTexts(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from notify_text where id = $1", [id])).rowCount === 1;
}

/** Makes a channel, or changes one. @param secrets null: they stay as they are @returns its number; null: there is none of that number */
export async function saveChannel(
  db: Queryable,
  id: number | null,
  channel: Channel,
  secrets: { readonly [K in keyof ChannelSecrets]: string | null },
  author: string,
  nowUs: number,
): Promise<number | null> {
  const saved = await save(db, "notify_channel", id, channel, author, nowUs);
  const { secret, privacySecret } = secrets;
  if (saved !== null && secret !== null)
    await db.query("update notify_channel set secret = $2 where id = $1", [saved, secret]);
  if (saved !== null && privacySecret !== null)
    await db.query("update notify_channel set privacy_secret = $2 where id = $1", [saved, privacySecret]);
  return saved;
}

/** @returns false when there is none */
export async function deleteChannel(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from notify_channel where id = $1", [id])).rowCount === 1;
}
