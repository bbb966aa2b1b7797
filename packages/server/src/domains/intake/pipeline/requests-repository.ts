import type { Queryable } from "../../../kernel/db/pool.js";
import type { Arrival } from "../arrivals/arrival.js";
import { PROTOCOL_FACTS } from "../arrivals/protocols.js";

/** So many are remembered at most; of more, those that would be forgotten next are. */
const MOST_REMEMBERED = 1_000_000;

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
export async function noteRequests(db: Queryable, arrivals: readonly Arrival[], nowUs: number): Promise<void> {
  const keyed = arrivals.flatMap(({ requestKey, protocol }) =>
    requestKey === undefined ? [] : [{ requestKey, untilUs: nowUs + PROTOCOL_FACTS[protocol].rememberedUs }],
  );
  if (keyed.length === 0) return;
  await db.query(
    "insert into request_seen (key, until_us) select * from unnest($1::bytea[], $2::bigint[]) on conflict (key) do update set until_us = excluded.until_us",
    [bytesOf(keyed.map((k) => k.requestKey)), keyed.map((k) => k.untilUs)],
  );
}

export async function forgetRequests(db: Queryable, nowUs: number): Promise<void> {
  await db.query("delete from request_seen where until_us < $1", [nowUs]);
}

/** Forgets what is too much. It counts: not to be done often. */
export async function forgetMostRequests(db: Queryable, most = MOST_REMEMBERED): Promise<void> {
  // the first that is too many, from the youngest on: all that would be forgotten before it goes
  await db.query(
    "delete from request_seen where until_us <= (select until_us from request_seen order by until_us desc offset $1 limit 1)",
    [most],
  );
}
