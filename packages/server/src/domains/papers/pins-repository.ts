import type { EpochUs } from "@halvik/core/base/time";
import { type HalvikRecord, keepRecord, readKept } from "@halvik/core/model/record";
import { Pinned } from "@halvik/core/papers";
import type { Queryable } from "../../kernel/db/pool.js";

export interface KeptPin {
  readonly number: number;
  readonly pinned: Pinned;
  readonly reason: string;
  readonly techniques: readonly string[];
  readonly by: string;
  readonly atUs: EpochUs;
  readonly version: number;
}

/** What is pinned, with what of it goes along. */
export interface PinToKeep {
  readonly pinned: Pinned;
  /** What it names, by which papers are found to be alike. */
  readonly things: readonly string[];
  /** SHA-256 of what makes it the same as another. */
  readonly same: Uint8Array;
  readonly record?: PinnedRecord & { readonly raw: Uint8Array };
  readonly file?: Uint8Array;
}

/** A record as it was stored when it was pinned. */
export interface PinnedRecord {
  readonly record: HalvikRecord;
  /** What its sender was called. */
  readonly sender: string;
}

/** @returns the number of it, and whether it was not pinned before: what was stays as it is */
export async function addPin(
  db: Queryable,
  paper: number,
  { pinned, things, same, record, file }: PinToKeep,
  reason: string,
  techniques: readonly string[],
  who: string,
  atUs: EpochUs,
): Promise<{ readonly number: number; readonly isNew: boolean }> {
  // the paper's row is held until all of it is kept: two never get one number
  const { rows: made } = await db.query<{ number: number }>(
    "update paper set pins_made = pins_made + 1 where id = $1 returning pins_made as number",
    [paper],
  );
  const { number } = made[0]!;
  const { rows: before } = await db.query<{ number: number }>(
    "select number from paper_pin where paper = $1 and same_hash = $2",
    [paper, same],
  );
  if (before[0] !== undefined) {
    await db.query("update paper set pins_made = pins_made - 1 where id = $1", [paper]);
    return { number: before[0].number, isNew: false };
  }
  await db.query(
    `insert into paper_pin (paper, number, body, reason, techniques, things, same_hash, pinned_by, pinned_us)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
    [paper, number, JSON.stringify(pinned), reason, techniques, things, same, who, atUs],
  );
  if (record !== undefined)
    await db.query("insert into paper_record (paper, number, record, raw, sender) values ($1, $2, $3, $4, $5)", [
      paper,
      number,
      keepRecord(record.record),
      record.raw,
      record.sender,
    ]);
  if (file !== undefined)
    await db.query("insert into paper_file (paper, number, bytes) values ($1, $2, $3)", [paper, number, file]);
  return { number, isNew: true };
}

/** @returns false when it is not that version any more, or gone */
export async function changePin(
  db: Queryable,
  paper: number,
  number: number,
  version: number,
  reason: string,
  techniques: readonly string[],
): Promise<boolean> {
  const changed = await db.query(
    "update paper_pin set reason = $4, techniques = $5, version = version + 1 where paper = $1 and number = $2 and version = $3",
    [paper, number, version, reason, techniques],
  );
  return changed.rowCount === 1;
}

export async function removePin(db: Queryable, paper: number, number: number): Promise<boolean> {
  return (await db.query("delete from paper_pin where paper = $1 and number = $2", [paper, number])).rowCount === 1;
}

interface PinRow {
  number: number;
  body: unknown;
  reason: string;
  techniques: string[];
  pinned_by: string;
  pinned_us: number;
  version: number;
}

/** What is pinned, in the order of the numbers. */
export async function pinsOf(db: Queryable, paper: number): Promise<KeptPin[]> {
  const { rows } = await db.query<PinRow>(
    "select number, body, reason, techniques, pinned_by, pinned_us, version from paper_pin where paper = $1 order by number",
    [paper],
  );
  return rows.map((r) => ({
    number: r.number,
    pinned: Pinned.parse(r.body),
    reason: r.reason,
    techniques: r.techniques,
    by: r.pinned_by,
    atUs: r.pinned_us,
    version: r.version,
  }));
}

/** Records of a paper by the numbers of their pins; those that were gone with their days are here still. */
export async function recordsOf(db: Queryable, paper: number): Promise<Map<number, PinnedRecord>> {
  const { rows } = await db.query<{ number: number; record: string; sender: string }>(
    "select number, record, sender from paper_record where paper = $1",
    [paper],
  );
  return new Map(rows.map(({ number, record, sender }) => [number, { record: readKept(record), sender }]));
}

/** The bytes that the records of a paper came as, by the numbers of their pins. */
export async function bytesOf(db: Queryable, paper: number): Promise<Map<number, Buffer>> {
  const { rows } = await db.query<{ number: number; raw: Buffer }>(
    "select number, raw from paper_record where paper = $1",
    [paper],
  );
  return new Map(rows.map(({ number, raw }) => [number, raw]));
}

export async function fileOf(db: Queryable, paper: number, number: number): Promise<Buffer | null> {
  const { rows } = await db.query<{ bytes: Buffer }>("select bytes from paper_file where paper = $1 and number = $2", [
    paper,
    number,
  ]);
  return rows[0]?.bytes ?? null;
}

/** How much a paper holds: pins, and bytes of files. */
export async function heldBy(db: Queryable, paper: number): Promise<{ readonly pins: number; readonly bytes: number }> {
  const { rows } = await db.query<{ pins: number; bytes: number }>(
    `select (select count(*)::int from paper_pin where paper = $1) as pins,
       (select coalesce(sum(octet_length(bytes)), 0)::float8 from paper_file where paper = $1) as bytes`,
    [paper],
  );
  return rows[0]!;
}

/** How many bytes files take in all papers. */
export async function bytesOfAll(db: Queryable): Promise<number> {
  const { rows } = await db.query<{ bytes: number }>(
    "select coalesce(sum(octet_length(bytes)), 0)::float8 as bytes from paper_file",
  );
  return rows[0]!.bytes;
}

/** All that a paper's pins name, each once. */
export async function thingsOf(db: Queryable, paper: number): Promise<string[]> {
  const { rows } = await db.query<{ thing: string }>(
    `select t as thing from (
       select distinct unnest(things) as t from paper_pin where paper = $1
       union select distinct 'technique ' || unnest(techniques) from paper_pin where paper = $1) a`,
    [paper],
  );
  return rows.map((r) => r.thing);
}

/** Arrows that were drawn by hand. */
export interface DrawnLink {
  readonly id: number;
  readonly from: number;
  readonly to: number;
  readonly why: string;
}

export async function linksOf(db: Queryable, paper: number): Promise<DrawnLink[]> {
  const { rows } = await db.query<DrawnLink>(
    `select id, from_pin as "from", to_pin as "to", why from paper_link where paper = $1 order by id`,
    [paper],
  );
  return rows;
}

/** Draws an arrow; one that is there says from now on what this one does. */
export const drawLink = (
  db: Queryable,
  paper: number,
  from: number,
  to: number,
  why: string,
  who: string,
  atUs: EpochUs,
): Promise<unknown> =>
  db.query(
    `insert into paper_link (paper, from_pin, to_pin, why, drawn_by, drawn_us) values ($1, $2, $3, $4, $5, $6)
     on conflict (paper, from_pin, to_pin) do update set why = excluded.why, drawn_by = excluded.drawn_by, drawn_us = excluded.drawn_us`,
    [paper, from, to, why, who, atUs],
  );

export async function removeLink(db: Queryable, paper: number, link: number): Promise<boolean> {
  return (await db.query("delete from paper_link where paper = $1 and id = $2", [paper, link])).rowCount === 1;
}
