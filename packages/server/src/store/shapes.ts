import { createHash } from "node:crypto";
import { US_PER_DAY } from "@halvik/core/base/time";
import type { RecordContent, RecordKind } from "@halvik/core/model/record";
import { type MessageShape, MOST_SHAPES, ShapeBook, standing } from "@halvik/core/shapes";
import { failureOf } from "../kernel/db/failure.js";
import { type Client, type Queryable, transaction } from "../kernel/db/pool.js";

/** What others have learnt is looked at again with this overlap: their transactions end when they do. */
const OVERLAP_US = 60_000_000;
/** How often that is. */
const REFRESH_US = 10_000_000;
/** How often others are told that shapes became part of others. */
const TELL_US = 10_000_000;

interface ShapeRow {
  readonly id: number;
  readonly origin: string;
  readonly tokens: readonly string[];
  readonly numbers: readonly number[];
  readonly version: number;
  readonly into_shape: number | null;
}

/** By what two processes know that they have found the same shape. */
export const keyHash = ({ origin, tokens }: Pick<MessageShape, "origin" | "tokens">): Buffer =>
  createHash("sha256")
    .update(JSON.stringify([origin, tokens]))
    .digest();

/** The shapes that one process tells apart, in step with what is kept and with what other processes learn. */
export class KeptShapes {
  private readonly byId = new Map<number, MessageShape>();
  /** Numbers that are kept for certain. */
  private readonly stored = new Set<number>();
  private readonly firstUs = new Map<MessageShape, number>();
  private readUs = 0;
  /** Whether something became part of another that nobody was told of. */
  private isToTell = false;
  private toldUs = Number.NEGATIVE_INFINITY;

  private constructor(
    private readonly book: ShapeBook,
    private readonly kind: RecordKind | null,
  ) {}

  /** @param kind of which records alone it is asked */
  static async load(db: Queryable, nowUs: number, kind: RecordKind | null = null): Promise<KeptShapes> {
    const kept = new KeptShapes(new ShapeBook(), kind);
    await kept.refresh(db, nowUs);
    return kept;
  }

  /** The shape of a record; one without a name has it after `save`. */
  learn(content: RecordContent): MessageShape | null {
    const shape = this.book.learn(content);
    if (shape?.id === 0) {
      const first = this.firstUs.get(shape);
      if (first === undefined || content.timeUs < first) this.firstUs.set(shape, content.timeUs);
    }
    return shape;
  }

  /** Takes in what has been learnt elsewhere since this was last asked. */
  async refresh(db: Queryable, nowUs: number): Promise<void> {
    const { rows } = await db.query<ShapeRow>(
      `select id, origin, tokens, numbers, version, into_shape from shape
       where changed_us >= $1 and ($2::text is null or starts_with(origin, $2)) and ($3 or into_shape is null)
       order by last_us desc limit ${MOST_SHAPES}`,
      [this.readUs - OVERLAP_US, this.kind, this.byId.size > 0],
    );
    this.readUs = nowUs;
    rows.sort((a, b) => a.id - b.id);
    for (const row of rows) if (row.into_shape === null) this.adopt(row);
    for (const row of rows) {
      const [shape, into] = [this.byId.get(row.id), this.byId.get(row.into_shape ?? row.id)];
      if (shape !== undefined && into !== undefined && standing(shape) !== standing(into)) this.book.unify(shape, into);
    }
  }

  private adopt({ id, origin, tokens, numbers, version }: ShapeRow): void {
    const there = this.byId.get(id);
    this.stored.add(id);
    if (there === undefined) this.byId.set(id, this.book.adopt({ id, origin, tokens, numbers, version }));
    else if (there.into === null && there.version < version) this.book.change(there, { tokens, numbers, version });
  }

  /**
   * Gives names to what is new and keeps what has changed: before the records that have it are written. No record is lost for its shape: what the
   * database refuses goes without a name, and so do its records.
   * @returns why it was refused, or null
   * @throws when the database is away: then it is told again, as it is where another transaction was quicker
   */
  async save(client: Client, nowUs: number): Promise<Error | null> {
    const changed = this.book.takeChanged();
    try {
      if (nowUs - this.readUs > REFRESH_US) await this.refresh(client, nowUs);
      const refused = changed.length === 0 ? null : await this.keep(client, changed, nowUs);
      await this.tell(client, nowUs);
      return refused;
    } catch (e) {
      this.book.putBack(changed);
      const failure = failureOf(e);
      if (failure === "outage") throw e;
      // the records of this batch go without; the next that have these shapes do not
      return failure === "again" ? null : (e as Error);
    }
  }

  /** Keeps shapes in one transaction; of those that are refused together, each half by itself, until the offender stands alone. */
  private async keep(client: Client, changed: readonly MessageShape[], nowUs: number): Promise<Error | null> {
    try {
      await transaction(client, () => this.write(client, changed, nowUs));
    } catch (e) {
      // numbers that went with the transaction
      for (const shape of changed) if (!this.stored.has(shape.id)) shape.id = 0;
      const failure = failureOf(e);
      if (failure === "outage" || failure === "again") throw e;
      if (changed.length > 1) {
        const middle = changed.length >> 1;
        const first = await this.keep(client, changed.slice(0, middle), nowUs);
        return (await this.keep(client, changed.slice(middle), nowUs)) ?? first;
      }
      this.firstUs.delete(changed[0]!);
      return e as Error;
    }
    for (const shape of changed) {
      this.firstUs.delete(shape);
      if (shape.id === 0) continue;
      this.stored.add(shape.id);
      if (shape.into === null) this.byId.set(shape.id, shape);
    }
    return null;
  }

  private async write(db: Queryable, changed: readonly MessageShape[], nowUs: number): Promise<void> {
    const standingNow = changed.filter((s) => s.into === null);
    await this.name(
      db,
      standingNow.filter((s) => s.id === 0),
      nowUs,
    );
    let merges = 0;
    for (const shape of standingNow.filter((s) => s.id !== 0 && s.version > 1)) merges += await widen(db, shape, nowUs);
    for (const shape of changed) if (shape.into !== null && shape.id === 0) shape.id = standing(shape).id;
    const taken = changed.filter((s) => s.into !== null && s.id !== standing(s).id);
    if (taken.length > 0) {
      await db.query(
        `with taken as (select t.id, coalesce(r.into_shape, r.id) as root from unnest($1::int[], $2::int[]) t (id, root) join shape r on r.id = t.root)
         update shape s set into_shape = t.root, changed_us = $3 from taken t
         where (s.id = t.id or s.into_shape = t.id) and s.id <> t.root`,
        [taken.map((s) => s.id), taken.map((s) => standing(s).id), nowUs],
      );
      merges += taken.length;
    }
    if (merges > 0) this.isToTell = true;
  }

  /** Has whoever reads filters look again, now and then: some sender's messages must not keep everybody at it. */
  private async tell(db: Queryable, nowUs: number): Promise<void> {
    if (!this.isToTell || nowUs - this.toldUs < TELL_US) return;
    await db.query("update shape_change set version = version + 1");
    this.isToTell = false;
    this.toldUs = nowUs;
  }

  private async name(db: Queryable, fresh: readonly MessageShape[], nowUs: number): Promise<void> {
    if (fresh.length === 0) return;
    const rows = fresh.map((shape) => ({
      origin: shape.origin,
      tokens: shape.tokens,
      numbers: shape.numbers,
      version: shape.version,
      key: keyHash(shape).toString("hex"),
      first: this.firstUs.get(shape) ?? nowUs,
    }));
    const said = JSON.stringify(rows);
    await db.query(
      `insert into shape (origin, tokens, numbers, version, key_hash, first_us, last_us, changed_us)
       select origin, tokens, numbers, version, decode(key, 'hex'), first, first, $2
       from jsonb_to_recordset($1::jsonb) as r (origin text, tokens jsonb, numbers jsonb, version int, key text, first bigint)
       on conflict do nothing`,
      [said, nowUs],
    );
    const named = await db.query<{ id: number; key: string }>(
      "select id, encode(key_hash, 'hex') as key from shape where into_shape is null and key_hash = any(select decode(k, 'hex') from unnest($1::text[]) k)",
      [rows.map((r) => r.key)],
    );
    const ids = new Map(named.rows.map((r) => [r.key, r.id]));
    for (const [i, shape] of fresh.entries()) shape.id = ids.get(rows[i]!.key) ?? 0;
  }
}

/**
 * Keeps how a shape reads now. Where another has come to read so too, they are one, and the lower number is left: whoever finds it, and
 * whenever, it is the same, so that no two become part of each other.
 * @returns how many became part of another
 */
async function widen(db: Queryable, shape: MessageShape, nowUs: number): Promise<number> {
  const key = keyHash(shape);
  const { rows } = await db.query<{ id: number }>(
    "select id from shape where key_hash = $1 and into_shape is null and id <> $2",
    [key, shape.id],
  );
  const other = rows[0]?.id;
  const [left, gone] = other === undefined ? [shape.id, null] : [Math.min(other, shape.id), Math.max(other, shape.id)];
  if (gone !== null)
    await db.query(
      "update shape set into_shape = $2, changed_us = $3 where (id = $1 or into_shape = $1) and id <> $2",
      [gone, left, nowUs],
    );
  if (left === shape.id)
    await db.query(
      "update shape set tokens = $2::jsonb, numbers = $3::jsonb, version = $4, key_hash = $5, changed_us = $6 where id = $1",
      [shape.id, JSON.stringify(shape.tokens), JSON.stringify(shape.numbers), shape.version, key, nowUs],
    );
  shape.id = left;
  return gone === null ? 0 : 1;
}

/** Shapes that have become part of another, by that one. */
export async function mergedShapes(db: Queryable): Promise<ReadonlyMap<number, readonly number[]>> {
  const { rows } = await db.query<{ root: number; parts: number[] }>(
    "select into_shape as root, array_agg(id order by id) as parts from shape where into_shape is not null group by 1",
  );
  return new Map(rows.map((r) => [r.root, r.parts]));
}

/** The shapes that were first seen in [fromUs, toUs), with those that have become part of them; at most so many. */
export async function shapesFirstSeen(
  db: Queryable,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  most: number,
): Promise<readonly number[]> {
  const { rows } = await db.query<{ id: number }>(
    `select s.id from shape s join (
       select coalesce(into_shape, id) as root from shape group by 1 having min(first_us) >= $1 and min(first_us) < $2
     ) f on coalesce(s.into_shape, s.id) = f.root order by s.id limit $3`,
    [fromUs, toUs, most],
  );
  return rows.map((r) => r.id);
}

/** A message shape as it is kept, with what people call it. */
export interface ShapeFacts {
  readonly id: number;
  readonly origin: string;
  readonly tokens: readonly string[];
  readonly numbers: readonly number[];
  readonly version: number;
  /** First and last time of all its records, also of those that are not kept any more. */
  readonly firstUs: number;
  readonly lastUs: number;
  readonly name: string;
  readonly meaning: string;
  readonly category: number | null;
  readonly namedBy: string;
  readonly namedUs: number | null;
  /** Shapes that have become part of it, the first of many. */
  readonly parts: readonly number[];
}

const MOST_PARTS = 50;

/** What is known of shapes that stand by themselves, by number; those that became part of another are not there. */
export async function shapeFacts(db: Queryable, ids: readonly number[]): Promise<ReadonlyMap<number, ShapeFacts>> {
  const { rows } = await db.query<ShapeFacts>(
    `select s.id, s.origin, s.tokens, s.numbers, s.version, s.name, s.meaning, s.category, s.named_by as "namedBy", s.named_us as "namedUs",
       least(s.first_us, p.first) as "firstUs", greatest(s.last_us, p.last) as "lastUs", coalesce(p.parts, '{}') as parts
     from shape s left join lateral (
       select min(m.first_us) as first, max(m.last_us) as last, (array_agg(m.id order by m.id))[1:${MOST_PARTS}] as parts from shape m where m.into_shape = s.id
     ) p on true
     where s.id = any($1::int[]) and s.into_shape is null`,
    [ids],
  );
  return new Map(rows.map((r) => [r.id, r]));
}

/** Since when shapes are told apart, in a store that had records before; null: of all its records. */
export async function shapesSinceUs(db: Queryable): Promise<number | null> {
  const { rows } = await db.query<{ us: number | null }>("select since_us as us from sighting_state");
  return rows[0]!.us;
}

/** Records that come late may still be looked through. */
const SLACK_US = 7 * US_PER_DAY;

/**
 * Puts in order what two collectors did at the same moment, so that each shape leads to the one that is left at once; and lets go of those that
 * became part of another and that no record has any more. What was known of when they were seen goes over.
 */
export async function pruneShapes(db: Queryable, nowUs: number): Promise<void> {
  await db.query(
    "update shape s set into_shape = r.into_shape, changed_us = $1 from shape r where s.into_shape = r.id and r.into_shape is not null and r.into_shape <> s.id",
    [nowUs],
  );
  await db.query(
    `with gone as (
       delete from shape where into_shape is not null and changed_us < $1 and last_us < coalesce((select min(min_time) from segment), $1)
         and not exists (select from shape c where c.into_shape = shape.id)
       returning into_shape, first_us, last_us, records
     ), sums as (select into_shape, min(first_us) as first, max(last_us) as last, sum(records) as records from gone group by 1)
     update shape s set first_us = least(s.first_us, g.first), last_us = greatest(s.last_us, g.last), records = s.records + g.records
     from sums g where s.id = g.into_shape`,
    [nowUs - SLACK_US],
  );
}
