import { US_PER_HOUR } from "@halvik/core/base/time";
import { KINDS, type RecordKind } from "@halvik/core/model/record";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { WayCounts } from "./way-counts.js";

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
export interface WayHour extends Readonly<WayCounts> {
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
    `select hour, endpoint, records::float8 as records, bytes::float8 as bytes, problems::float8 as problems, late::float8 as late, copies::float8 as copies,
       capped::float8 as capped, last_us as "lastUs", offset_least_us as "offsetLeastUs", offset_most_us as "offsetMostUs"
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

/** Keeps what a sender's own counter says, beside what has been heard of it; the oldest of many goes. */
export async function noteCounter(
  db: Queryable,
  sender: number,
  theirs: number,
  who: string,
  nowUs: number,
): Promise<void> {
  await db.query(
    `insert into sender_counter (sender, at_us, theirs, ours, who)
     select $1, $2, $3, coalesce((select records + problems + copies + capped from sender_activity where sender = $1), 0), $4`,
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

/** What exporters counted that never came, as collectors said last. */
export async function gapsOf(
  db: Queryable,
  addresses: readonly string[],
): Promise<{ stream: string; missed: number; outOfOrder: number }[]> {
  const { rows } = await db.query<{ exporter: string; missed: number; outOfOrder: number }>(
    `select g->>'exporter' as exporter, (g->>'missed')::float8 as missed, (g->>'outOfOrder')::float8 as "outOfOrder"
     from role_status, jsonb_array_elements(detail->'gaps') g where role = 'collector' and split_part(g->>'exporter', ' ', 1) = any($1::text[])`,
    [addresses],
  );
  return rows.map(({ exporter, ...r }) => ({ ...r, stream: exporter }));
}

/** Rules and saved filters whose text names a sender; of others' filters those that they share. */
export async function namedIn(
  db: Queryable,
  name: string,
  who: string,
): Promise<{ what: "rule" | "rule of arrival" | "saved filter"; id: string; name: string }[]> {
  // the whole name, in a text that speaks of senders at all: fw-1 is not fw-10
  const whole = `(^|[^a-z0-9_.-])${name.toLowerCase().replace(/[^a-z0-9]/g, "\\$&")}($|[^a-z0-9_.-])`;
  const { rows } = await db.query<{ what: "rule" | "rule of arrival" | "saved filter"; id: string; name: string }>(
    `select 'rule' as what, id, coalesce(body->>'name', id) as name from rule where lower(body::text) ~ $1 and body::text ilike '%sender%'
     union all select 'rule of arrival', id::text, body->>'name' from arrival_rule where lower(body->>'filter') ~ $1 and body->>'filter' ilike '%sender%'
     union all select 'saved filter', id::text, name from saved_filter where lower(text) ~ $1 and text ilike '%sender%' and (shared or owner = $2) order by 1, 3 limit 50`,
    [whole, who],
  );
  return rows;
}
