import { OwnFormat } from "@halvik/core/formats";
import { type HalvikRecord, KINDS } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import type { Queryable } from "../../../kernel/db/pool.js";
import { filterToSql, Params } from "../../../store/filter-sql.js";
import { readRows, selectFrom } from "../../../store/record-rows.js";

export const READING_STATES = ["waiting", "reading", "done", "stopped", "failed", "taking back", "taken back"] as const;
export type ReadingState = (typeof READING_STATES)[number];

/** A format that reads history anew: what was asked for, and how far it came. */
export interface Reading {
  readonly id: number;
  readonly format: number;
  readonly name: string;
  /** As it was when it was asked for; null: this version of Halvik cannot read it any more. */
  readonly version: number;
  readonly body: OwnFormat | null;
  readonly author: string;
  readonly fromUs: number;
  readonly toUs: number;
  readonly state: ReadingState;
  readonly askedUs: number;
  readonly changedUs: number;
  /** Up to which record of which segment it has come. */
  readonly segment: string | null;
  readonly afterId: string | null;
  readonly parts: number;
  readonly partsDone: number;
  readonly looked: number;
  readonly amended: number;
  /** Records that fit and are left: another format had read them. */
  readonly readBefore: number;
  readonly refused: number;
  readonly why: string | null;
}

interface Row {
  id: number;
  format: number;
  version: number;
  name: string | null;
  body: unknown;
  author: string;
  from_us: number;
  to_us: number;
  state: ReadingState;
  asked_us: number;
  changed_us: number;
  segment: string | null;
  after_id: string | null;
  parts: number;
  parts_done: number;
  looked: number;
  amended: number;
  read_before: number;
  refused: number;
  why: string | null;
}

const SELECT = `select id, format, version, body->>'name' as name, body, author, from_us, to_us, state, asked_us, changed_us, segment, after_id::text as after_id, parts, parts_done,
  looked::float8 as looked, amended::float8 as amended, read_before::float8 as read_before, refused::float8 as refused, why from format_reading`;

const readingOf = (r: Row): Reading => ({
  ...{ id: r.id, format: r.format, name: r.name ?? `format ${r.format}`, version: r.version, author: r.author },
  body: OwnFormat.safeParse(r.body).data ?? null,
  ...{ fromUs: r.from_us, toUs: r.to_us, state: r.state, askedUs: r.asked_us, changedUs: r.changed_us },
  ...{ segment: r.segment, afterId: r.after_id, parts: r.parts, partsDone: r.parts_done, looked: r.looked },
  ...{ amended: r.amended, readBefore: r.read_before, refused: r.refused, why: r.why },
});

const SHOWN = 100;
/** The latest readings. */
export const latestReadings = async (db: Queryable): Promise<Reading[]> =>
  (await db.query<Row>(`${SELECT} order by id desc limit $1`, [SHOWN])).rows.map(readingOf);

export async function readingWith(db: Queryable, id: number): Promise<Reading | null> {
  const { rows } = await db.query<Row>(`${SELECT} where id = $1`, [id]);
  return rows[0] === undefined ? null : readingOf(rows[0]);
}

/** The one that is to be worked on; there is one at a time. */
export async function readingUnderWay(db: Queryable): Promise<Reading | null> {
  const { rows } = await db.query<Row>(`${SELECT} where state in ('waiting', 'reading', 'taking back')`);
  return rows[0] === undefined ? null : readingOf(rows[0]);
}

/** @returns its number; null: another one is under way */
export async function askReading(
  db: Queryable,
  of: Pick<Reading, "format" | "version" | "author" | "fromUs" | "toUs"> & { readonly body: OwnFormat },
  nowUs: number,
): Promise<number | null> {
  const { rows } = await db.query<{ id: number }>(
    `insert into format_reading (format, version, body, author, from_us, to_us, state, asked_us, changed_us)
     values ($1, $2, $3, $4, $5, $6, 'waiting', $7, $7) on conflict do nothing returning id`,
    [of.format, of.version, JSON.stringify(of.body), of.author, of.fromUs, of.toUs, nowUs],
  );
  return rows[0]?.id ?? null;
}

/** Takes one from some states to another. @returns whether it stood in one of those, and no other is under way */
export async function stepReading(
  db: Queryable,
  id: number,
  from: readonly ReadingState[],
  to: ReadingState,
  nowUs: number,
  why: string | null = null,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update format_reading r set state = $3, changed_us = $4, why = coalesce($5, why) where id = $1 and state = any($2::text[])
       and ($3 <> 'taking back' or not exists (select from format_reading o where o.state in ('waiting', 'reading', 'taking back')))`,
    [id, from, to, nowUs, why],
  );
  return rowCount === 1;
}

/** What came of one part. */
export interface PartRead {
  readonly segment: string;
  readonly lastId: string;
  readonly parts: number;
  readonly looked: number;
  readonly amended: number;
  readonly readBefore: number;
  readonly refused: number;
}

/** Notes how far it came, in the transaction that amended the records. A step asked for meanwhile stands. */
export async function notePart(db: Queryable, id: number, part: PartRead, nowUs: number): Promise<void> {
  await db.query(
    `update format_reading set state = case state when 'waiting' then 'reading' else state end, segment = $2, after_id = $3, parts = $4, parts_done = parts_done + 1,
       looked = looked + $5, amended = amended + $6, read_before = read_before + $7, refused = refused + $8, changed_us = $9 where id = $1`,
    [id, part.segment, part.lastId, part.parts, part.looked, part.amended, part.readBefore, part.refused, nowUs],
  );
}

/** Kinds of which a format reads the text. */
const LINES = ["syslog", "firewall", "json"].map((kind) => KINDS.indexOf(kind as "syslog"));

/** Which lines a reading looks at. */
export interface LinesAsked {
  readonly fromUs: number;
  readonly toUs: number;
  /** A part that they hold, or a filter that they meet. */
  readonly by: { readonly contains: string } | { readonly filter: Filter };
  /** Names under which earlier versions read lines as they arrived. */
  readonly names: readonly string[];
  readonly directory: SenderDirectory;
  readonly nowUs: number;
}

/** Lines of a segment that a format may read, by id: after the first, up to the last. */
export async function linesToRead(
  db: Queryable,
  segment: string,
  { fromUs, toUs, by, names, directory, nowUs }: LinesAsked,
  [after, last]: readonly [after: string, last: string],
  most: number,
): Promise<HalvikRecord[]> {
  const params = new Params();
  const ids = `r.id > ${params.add(after, "::bigint")} and r.id <= ${params.add(last, "::bigint")}`;
  const window = `r.time >= ${params.add(fromUs)} and r.time < ${params.add(toUs)}`;
  const lines = `r.kind = any(${params.add(LINES, "::smallint[]")})`;
  const tried =
    "contains" in by
      ? `strpos(r.message, ${params.add(by.contains)}) > 0`
      : filterToSql(by.filter, params, { shape: "record", directory, nowUs }).text;
  // what an earlier reading made of a record, or an earlier version as it arrived, may be what hides it from the filter
  const amended = `r.id in (select id from amended_record where segment = ${params.add(segment)})`;
  const arrived = `exists (select from jsonb_array_elements(r.data) p where p->>0 = 'format' and p->>1 = any(${params.add(names, "::text[]")}))`;
  const { rows } = await db.query(
    `${selectFrom(segment)} where ${ids} and ${window} and ${lines} and (${tried} or ${amended} or ${arrived}) order by r.id limit ${most}`,
    params.values,
  );
  return readRows(segment, rows);
}
