import type { Queryable } from "../../../kernel/db/pool.js";
import { type Arrival, PROTOCOLS } from "../arrivals/arrival.js";

/** Bounds of what is held for waiting senders (`docs/semantics.md` 9). */
export const HELD_PER_SENDER = 10_000;
export const HELD_IN_ALL = 200_000;
export const HELD_FOR_US = 24 * 3_600 * 1_000_000;

export async function countHeld(db: Queryable): Promise<Map<number, number>> {
  const { rows } = await db.query<{ sender: number; n: number }>(
    "select sender, count(*)::int as n from held_record group by sender",
  );
  return new Map(rows.map((r) => [r.sender, r.n]));
}

export async function holdRecords(db: Queryable, held: readonly { sender: number; arrival: Arrival }[]): Promise<void> {
  if (held.length === 0) return;
  await db.query(
    "insert into held_record (sender, endpoint, received_us, raw, protocol) select * from unnest($1::int[], $2::text[], $3::bigint[], $4::bytea[], $5::int[])",
    [
      held.map((h) => h.sender),
      held.map((h) => h.arrival.endpoint),
      held.map((h) => h.arrival.receivedUs),
      held.map((h) => Buffer.from(h.arrival.bytes)),
      held.map((h) => PROTOCOLS.indexOf(h.arrival.protocol)),
    ],
  );
}

interface HeldRow {
  id: number;
  endpoint: string;
  received_us: number;
  raw: Buffer;
  protocol: number;
  peer: string | null;
}
const HELD =
  "h.id, h.endpoint, h.received_us, h.raw, h.protocol, (select host(address) from sender_address a where a.sender = h.sender order by position limit 1) as peer";
const asArrival = (r: HeldRow): Arrival => ({
  protocol: PROTOCOLS[r.protocol] ?? "syslog",
  endpoint: r.endpoint,
  peer: r.peer ?? "",
  receivedUs: r.received_us,
  bytes: r.raw,
  held: true,
});

/** The oldest held records of senders that have been admitted, as arrivals, with the ids to forget them by. */
export async function takeAdmitted(db: Queryable, most: number): Promise<{ ids: number[]; arrivals: Arrival[] }> {
  const { rows } = await db.query<HeldRow>(
    `select ${HELD} from held_record h join sender s on s.id = h.sender where s.state = 'admitted' order by h.id limit $1`,
    [most],
  );
  return { ids: rows.map((r) => r.id), arrivals: rows.map(asArrival) };
}

/** What is held of a sender, the latest first. */
export async function latestHeld(db: Queryable, sender: number, most: number): Promise<Arrival[]> {
  const { rows } = await db.query<HeldRow>(
    `select ${HELD} from held_record h where h.sender = $1 order by h.id desc limit $2`,
    [sender, most],
  );
  return rows.map(asArrival);
}

/** How much is held of a sender by each way in, and from when to when. */
export async function heldByEndpoint(
  db: Queryable,
  sender: number,
): Promise<{ endpoint: string; count: number; firstUs: number; lastUs: number }[]> {
  const { rows } = await db.query<{ endpoint: string; count: number; first: number; last: number }>(
    `select endpoint, count(*)::int as count, min(received_us) as first, max(received_us) as last from held_record where sender = $1
     group by endpoint order by count desc, endpoint`,
    [sender],
  );
  return rows.map(({ first, last, ...r }) => ({ ...r, firstUs: first, lastUs: last }));
}

export async function forgetHeld(db: Queryable, ids: readonly number[]): Promise<void> {
  if (ids.length > 0) await db.query("delete from held_record where id = any($1::bigint[])", [ids]);
}

/** Forgets what was held for 24 h without admission, or for a refused sender. @returns how many */
export async function expireHeld(db: Queryable, nowUs: number): Promise<number> {
  const result = await db.query(
    "delete from held_record h using sender s where s.id = h.sender and (s.state = 'refused' or h.received_us < $1)",
    [nowUs - HELD_FOR_US],
  );
  return result.rowCount ?? 0;
}
