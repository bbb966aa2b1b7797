import { US_PER_MINUTE } from "@halvik/core/base/time";
import type { Queryable } from "../../../kernel/db/pool.js";

/** For so long what is sent again is known again. */
const REMEMBERED_US = 10 * US_PER_MINUTE;

const bytesOf = (keys: readonly string[]): Buffer[] => keys.map((k) => Buffer.from(k, "hex"));

/** Of these keys, those whose records are stored already. */
export async function requestsSeen(db: Queryable, keys: readonly string[]): Promise<ReadonlySet<string>> {
  if (keys.length === 0) return new Set();
  const { rows } = await db.query<{ key: string }>(
    "select encode(key, 'hex') as key from request_seen where key = any($1::bytea[])",
    [bytesOf(keys)],
  );
  return new Set(rows.map((r) => r.key));
}

/** Belongs in the transaction that stores what came with them. */
export async function noteRequests(db: Queryable, keys: readonly string[], nowUs: number): Promise<void> {
  if (keys.length === 0) return;
  await db.query(
    "insert into request_seen (key, at_us) select k, $2 from unnest($1::bytea[]) k on conflict (key) do update set at_us = excluded.at_us",
    [bytesOf(keys), nowUs],
  );
}

export async function forgetRequests(db: Queryable, nowUs: number): Promise<void> {
  await db.query("delete from request_seen where at_us < $1", [nowUs - REMEMBERED_US]);
}
