import { type EpochUs, US_PER_MINUTE } from "@halvik/core/base/time";
import {
  blocksFor,
  type DirectoryColumns,
  decodeDirectory,
  type EncodedPart,
  type PartAnswer,
  type StoredBlock,
  searchPart,
  type TermPlan,
} from "@halvik/core/query/terms";
import { LRUCache } from "lru-cache";
import type { Queryable } from "../kernel/db/pool.js";

/** A part of a plan that would need more blocks than this is left out at first: the others may settle it. */
const FEW_BLOCKS = 16;
/** Rows that may match: fewer are looked at one by one sooner than more blocks are read. */
const FEW_ROWS = 512;
const BLOCK_CACHE_BYTES = 96 * 1024 * 1024;
const DIRECTORY_CACHE_BYTES = 64 * 1024 * 1024;

const UNKNOWN: TermPlan = { is: "unknown" };

/** What is known of a part without reading its blocks. */
export interface PartHead {
  readonly rows: number;
  readonly firstTerms: readonly string[];
  /** Least and greatest time of each block of its directory, in µs. */
  readonly blockMinUs: readonly number[];
  readonly blockMaxUs: readonly number[];
}

interface OfSegment {
  readonly name: string;
  readonly collector: number;
}
/** Of the rows of a part, the first and the last. */
interface FirstAndLast {
  readonly first: string;
  readonly last: string;
}

/** Stores the terms of the rows that follow what is indexed of a segment. Belongs in a transaction. */
export async function writePart(
  db: Queryable,
  segment: OfSegment,
  part: EncodedPart,
  ids: FirstAndLast,
): Promise<void> {
  await insertPart(db, segment, part, ids);
  await db.query("update segment set indexed_id = $2, indexed_rows = indexed_rows + $3 where name = $1", [
    segment.name,
    ids.last,
    part.rows,
  ]);
}

/**
 * Stores the terms of rows that have changed in the place of those they had. Belongs in a transaction. Those they had stay for a while: searches that
 * know of them go on by them.
 */
export async function replacePart(
  db: Queryable,
  segment: OfSegment,
  replaced: number,
  part: EncodedPart,
  ids: FirstAndLast,
  nowUs: EpochUs,
): Promise<void> {
  await insertPart(db, segment, part, ids);
  await db.query("update index_part set replaced_us = $2 where id = $1", [replaced, nowUs]);
}

/** No search goes on for so long. */
const REPLACED_KEPT_US = 10 * US_PER_MINUTE;

/** Drops terms in whose place others have stood for long enough. */
export async function dropReplacedParts(db: Queryable, nowUs: EpochUs): Promise<void> {
  await db.query("delete from index_part where replaced_us < $1", [nowUs - REPLACED_KEPT_US]);
}

async function insertPart(db: Queryable, segment: OfSegment, part: EncodedPart, ids: FirstAndLast): Promise<void> {
  const { rows } = await db.query<{ id: number }>(
    `insert into index_part (segment, collector, rows, first_id, last_id, min_time, max_time, first_terms, block_min, block_max)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) returning id`,
    [
      segment.name,
      segment.collector,
      part.rows,
      ids.first,
      ids.last,
      Math.min(...part.directory.map((b) => b.minTimeUs)),
      Math.max(...part.directory.map((b) => b.maxTimeUs)),
      part.blocks.map((b) => b.firstTerm),
      part.directory.map((b) => b.minTimeUs),
      part.directory.map((b) => b.maxTimeUs),
    ],
  );
  const id = rows[0]!.id;
  await db.query(
    "insert into index_terms (part, number, terms, rows) select $1, n - 1, t, r from unnest($2::bytea[], $3::bytea[]) with ordinality as b (t, r, n)",
    [id, part.blocks.map((b) => Buffer.from(b.terms)), part.blocks.map((b) => Buffer.from(b.rows))],
  );
  await db.query(
    "insert into index_directory (part, number, data) select $1, n - 1, d from unnest($2::bytea[]) with ordinality as b (d, n)",
    [id, part.directory.map((b) => Buffer.from(b.data))],
  );
}

/** Reads the index of terms. Parts never change (one whose rows do is replaced), so that what was read is kept within bounds of memory. */
export class TermIndex {
  private readonly heads = new LRUCache<number, PartHead>({ max: 10_000 });
  private readonly blocks = new LRUCache<string, StoredBlock>({
    maxSize: BLOCK_CACHE_BYTES,
    sizeCalculation: (b) => b.terms.length + b.rows.length + 200,
  });
  private readonly directory = new LRUCache<string, Uint8Array>({
    maxSize: DIRECTORY_CACHE_BYTES,
    sizeCalculation: (d) => d.length + 100,
  });

  async readHeads(db: Queryable, ids: readonly number[]): Promise<ReadonlyMap<number, PartHead>> {
    const found = new Map<number, PartHead>();
    const missing: number[] = [];
    for (const id of ids) {
      const head = this.heads.get(id);
      if (head) found.set(id, head);
      else missing.push(id);
    }
    if (missing.length > 0) {
      const { rows } = await db.query<{
        id: number;
        rows: number;
        first_terms: string[];
        block_min: number[];
        block_max: number[];
      }>("select id, rows, first_terms, block_min, block_max from index_part where id = any($1::bigint[])", [missing]);
      for (const r of rows) {
        const head = {
          rows: r.rows,
          firstTerms: r.first_terms,
          blockMinUs: r.block_min.map(Number),
          blockMaxUs: r.block_max.map(Number),
        };
        this.heads.set(r.id, head);
        found.set(r.id, head);
      }
    }
    return found;
  }

  /**
   * What a plan says of each part; parts that have gone meanwhile are left out.
   * @param isOver whether no more time is to be spent: what is left is answered by "perhaps, all", but for the first
   */
  async answer(
    db: Queryable,
    plan: TermPlan,
    ids: readonly number[],
    isOver: () => boolean = () => false,
  ): Promise<Map<number, PartAnswer>> {
    const heads = await this.readHeads(db, ids);
    const answers = new Map<number, PartAnswer>();
    let open = [...heads.keys()];
    for (const most of [FEW_BLOCKS, Number.POSITIVE_INFINITY]) {
      const wanted = new Map(open.map((id) => [id, blocksFor(plan, heads.get(id)!.firstTerms, most)]));
      const blocks = await this.readBlocks(db, wanted);
      const undecided: number[] = [];
      for (const [i, id] of open.entries()) {
        const known = i > 0 && isOver() ? UNKNOWN : plan;
        const answer = searchPart(known, heads.get(id)!, blocks.get(id) ?? new Map());
        answers.set(id, answer);
        if (answer.perhaps.count() - answer.sure.count() > FEW_ROWS) undecided.push(id);
      }
      open = undecided.filter(
        (id) => blocksFor(plan, heads.get(id)!.firstTerms, Number.POSITIVE_INFINITY).size > wanted.get(id)!.size,
      );
      if (open.length === 0 || isOver()) break;
    }
    return answers;
  }

  async readBlocks(
    db: Queryable,
    wanted: ReadonlyMap<number, ReadonlySet<number>>,
  ): Promise<Map<number, Map<number, StoredBlock>>> {
    const found = new Map<number, Map<number, StoredBlock>>();
    const put = (part: number, number: number, block: StoredBlock) => {
      const ofPart = found.get(part);
      if (ofPart) ofPart.set(number, block);
      else found.set(part, new Map([[number, block]]));
    };
    const missing = this.missing(wanted, this.blocks, put);
    if (missing.parts.length > 0) {
      const { rows } = await db.query<{ part: number; number: number; terms: Buffer; rows: Buffer }>(
        "select t.part, t.number, t.terms, t.rows from unnest($1::bigint[], $2::int[]) as w (part, number) join index_terms t using (part, number)",
        [missing.parts, missing.numbers],
      );
      for (const { part, number, terms, rows: postings } of rows) {
        const block = { terms, rows: postings };
        this.blocks.set(`${part} ${number}`, block);
        put(part, number, block);
      }
    }
    return found;
  }

  /** Blocks of a part's directory by number. */
  async readDirectory(
    db: Queryable,
    part: number,
    numbers: ReadonlySet<number>,
  ): Promise<Map<number, DirectoryColumns>> {
    const found = new Map<number, DirectoryColumns>();
    const missing = this.missing(new Map([[part, numbers]]), this.directory, (_, number, data) =>
      found.set(number, decodeDirectory(data)),
    );
    if (missing.parts.length > 0) {
      const { rows } = await db.query<{ number: number; data: Buffer }>(
        "select number, data from index_directory where part = $1 and number = any($2::int[])",
        [part, missing.numbers],
      );
      for (const { number, data } of rows) {
        this.directory.set(`${part} ${number}`, data);
        found.set(number, decodeDirectory(data));
      }
    }
    return found;
  }

  private missing<T extends object>(
    wanted: ReadonlyMap<number, ReadonlySet<number>>,
    cache: LRUCache<string, T>,
    put: (part: number, number: number, value: T) => void,
  ): { parts: number[]; numbers: number[] } {
    const parts: number[] = [];
    const numbers: number[] = [];
    for (const [part, ofPart] of wanted)
      for (const number of ofPart) {
        const kept = cache.get(`${part} ${number}`);
        if (kept) put(part, number, kept);
        else {
          parts.push(part);
          numbers.push(number);
        }
      }
    return { parts, numbers };
  }
}
