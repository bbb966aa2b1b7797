import { type SenderPortrait, WAY_COUNTS } from "@halvik/contract/senders";
import { US_PER_HOUR } from "@halvik/core/base/time";
import { KINDS, type RecordKind } from "@halvik/core/model/record";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { WayTally } from "./tallies.js";

/** Records of a sender by whole hour, kind and severity, of hours that begin in [fromUs, toUs). */
export async function hoursOfSender(
  db: Queryable,
  sender: number,
  fromUs: number,
  toUs: number,
): Promise<{ readonly hour: number; readonly kind: RecordKind; readonly severity: number; readonly count: number }[]> {
  const { rows } = await db.query<{ bucket: number; kind: number; severity: number; count: number }>(
    "select bucket, kind, severity, count::float8 as count from rollup_hour where sender = $1 and bucket >= $2 and bucket < $3",
    [sender, Math.ceil(fromUs / US_PER_HOUR), Math.ceil(toUs / US_PER_HOUR)],
  );
  return rows.map(({ bucket, kind, ...r }) => ({ ...r, hour: bucket, kind: KINDS[kind]! }));
}

/** What came of a sender by one way in. */
export interface WayHour extends Readonly<WayTally> {
  readonly hour: number;
  readonly endpoint: string;
  /** By how much its clock was behind, least and most; less than nothing: it was ahead. */
  readonly offsetLeastUs: number;
  readonly offsetMostUs: number;
}

/** By the hour from one to another, both among them: a clock that was ahead for a while may have written later ones. */
export async function waysOfSender(
  db: Queryable,
  sender: number,
  sinceUs: number,
  untilUs: number,
): Promise<WayHour[]> {
  const { rows } = await db.query<WayHour>(
    `select hour, endpoint, ${WAY_COUNTS.map((c) => `${c}::float8 as ${c}`).join(", ")}, last_us as "lastUs", offset_least_us as "offsetLeastUs", offset_most_us as "offsetMostUs"
     from sender_hour where sender = $1 and hour between $2 and $3 order by hour, endpoint`,
    [sender, Math.floor(sinceUs / US_PER_HOUR), Math.floor(untilUs / US_PER_HOUR)],
  );
  return rows;
}

/** What somebody read at a sender, with what had been heard of it then. */
export interface CounterRead {
  readonly atUs: number;
  readonly theirs: number;
  readonly ours: number;
  readonly who: string;
}

const READS_KEPT = 20;

export async function countersOf(db: Queryable, sender: number): Promise<CounterRead[]> {
  const { rows } = await db.query<{ at_us: number; theirs: number; ours: number; who: string }>(
    "select at_us, theirs::float8 as theirs, ours::float8 as ours, who from sender_counter where sender = $1 order by at_us desc",
    [sender],
  );
  return rows.map(({ at_us, ...r }) => ({ ...r, atUs: at_us }));
}

/** Keeps what a sender's own counter of messages says, beside how many of it have reached an endpoint; the oldest of many goes. */
export async function noteCounter(
  db: Queryable,
  sender: number,
  theirs: number,
  who: string,
  nowUs: number,
): Promise<void> {
  await db.query(
    `insert into sender_counter (sender, at_us, theirs, ours, who)
     select $1, $2, $3, coalesce((select messages + refused + capped from sender_activity where sender = $1), 0), $4`,
    [sender, nowUs, theirs, who],
  );
  await db.query(
    "delete from sender_counter where sender = $1 and at_us not in (select at_us from sender_counter where sender = $1 order by at_us desc limit $2)",
    [sender, READS_KEPT],
  );
}

export async function forgetCounters(db: Queryable, sender: number): Promise<void> {
  await db.query("delete from sender_counter where sender = $1", [sender]);
}

/** What of some addresses could not be read, the latest first. */
export async function undecodableOf(
  db: Queryable,
  addresses: readonly string[],
): Promise<{ endpoint: string; atUs: number; code: string; message: string; offset: number; sample: Buffer }[]> {
  const { rows } = await db.query<{
    endpoint: string;
    at_us: number;
    code: string;
    message: string;
    byte_offset: number;
    sample: Buffer;
  }>(
    "select endpoint, at_us, code, message, byte_offset, sample from undecodable where peer = any($1::text[]) order by id desc limit 10",
    [addresses],
  );
  return rows.map(({ at_us, byte_offset, ...r }) => ({ ...r, atUs: at_us, offset: byte_offset }));
}

/** What a sender is and was called and reached by, the present first. */
export async function calledOf(
  db: Queryable,
  sender: number,
): Promise<{ what: "name" | "address"; value: string; sinceUs: number | null; untilUs: number | null }[]> {
  const { rows } = await db.query<{
    what: "name" | "address";
    value: string;
    sinceUs: number | null;
    untilUs: number | null;
  }>(
    `select 'address' as what, host(address) as value, since_us as "sinceUs", null::bigint as "untilUs", position from sender_address where sender = $1
     union all select what, value, since_us, until_us, 0 from sender_former where sender = $1 order by "untilUs" desc nulls first, position, value`,
    [sender],
  );
  return rows.map(({ what, value, sinceUs, untilUs }) => ({ what, value, sinceUs, untilUs }));
}

export type NamedIn = SenderPortrait["uses"][number];

/** What may name a sender, by the table of each: of what people keep for themselves what is their own or shared. `body` is JSON as text. */
const NAMING = [
  ["rule", "select id, coalesce(body->>'name', id) as name, body::text as body from rule"],
  ["rule of arrival", "select id::text, body->>'name', body::text from arrival_rule"],
  ["forward", "select id::text, body->>'name', body::text from forward"],
  ["notification", "select id::text, body->>'name', body::text from notify_route"],
  ["report", "select id::text, body->>'name', body::text from report"],
  ["board", "select id::text, body->>'name', body::text from board where (shared or owner = $2) and not is_now"],
  ["saved filter", "select id::text, name, text from saved_filter where shared or owner = $2"],
] as const satisfies readonly (readonly [NamedIn["what"], string])[];

/** What speaks of a sender by its name. */
export async function namedIn(
  db: Queryable,
  name: string,
  /** Who asks. */
  who: string,
): Promise<NamedIn[]> {
  // the whole name, in a text that speaks of senders at all: fw-1 is not fw-10
  const whole = `(^|[^a-z0-9_.-])${name.toLowerCase().replace(/[^a-z0-9]/g, "\\$&")}($|[^a-z0-9_.-])`;
  const all = NAMING.map(
    ([what, from]) => `select '${what}' as what, id, name, body from (${from}) t (id, name, body)`,
  );
  const { rows } = await db.query<NamedIn>(
    `select what, id, name from (${all.join(" union all ")}) u where lower(body) ~ $1 and body ilike '%sender%' order by what, name limit 50`,
    [whole, who],
  );
  return rows;
}
